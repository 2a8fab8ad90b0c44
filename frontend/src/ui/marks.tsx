import type { Schemas } from "../data/client";

type Mark = Schemas["Mark"];

interface Look {
  word: string;
  meaning: string;
  shape: string;
  tone: "madder" | "brass" | "soft" | "patina";
}

/** What each mark says: a word, a shape before it, and a sentence. The server decides which apply. */
export const MARKS: Record<Mark, Look> = {
  fault: { word: "cannot be used", meaning: "The file cannot be used.", shape: "✕", tone: "madder" },
  remark: { word: "damaged", meaning: "Something is odd about the file; it can be used.", shape: "▲", tone: "madder" },
  "near-miss": { word: "near miss", meaning: "Almost right: smooth, then a hiccup.", shape: "≈", tone: "brass" },
  odd: { word: "odd", meaning: "The steps differ, and motion judders.", shape: "◆", tone: "brass" },
  undecided: { word: "undecided", meaning: "Nobody has decided yet; it plays as it stands.", shape: "○", tone: "soft" },
  "off-rate": { word: "off-rate", meaning: "The file's rate is not the timeline's.", shape: "≠", tone: "soft" },
  repeats: { word: "repeats", meaning: "Frames are shown more than once.", shape: "⁞", tone: "soft" },
  variable: { word: "uneven times", meaning: "The file's frames come at uneven times.", shape: "∿", tone: "brass" },
  interlaced: { word: "interlaced", meaning: "Each frame holds two moments.", shape: "☰", tone: "soft" },
  disputed: { word: "disputed", meaning: "The evidence disagrees; settle it in Intake.", shape: "≢", tone: "brass" },
  stacked: {
    word: "stacked",
    meaning: "Re-rated and its speed set as well: was that meant?",
    shape: "⧉",
    tone: "brass",
  },
  changed: {
    word: "changed",
    meaning: "Decided otherwise since its file was made.",
    shape: "↻",
    tone: "brass",
  },
  unconfirmed: {
    word: "unconfirmed",
    meaning: "A rate or the scan is only assumed; confirm it in Intake.",
    shape: "?",
    tone: "soft",
  },
  pulldown: { word: "pulldown", meaning: "Pulldown is baked into the file.", shape: "⋮", tone: "brass" },
  "repeats-inside": {
    word: "baked repeats",
    meaning: "Repeated frames are baked into the file.",
    shape: "⁞",
    tone: "brass",
  },
  blended: {
    word: "mixed fields",
    meaning: "Its fields were mixed from those of another standard; beyond clean repair.",
    shape: "✕",
    tone: "madder",
  },
  film: { word: "film", meaning: "A film scan: its header says nothing about the camera.", shape: "▤", tone: "soft" },
  silent: { word: "no sound", meaning: "The file has no sound.", shape: "∅", tone: "soft" },
  "sound-changed": {
    word: "sound",
    meaning: "Sound runs at another speed than in the file.",
    shape: "♪",
    tone: "soft",
  },
};

const TONES = { madder: "text-madder", brass: "text-brass", soft: "text-soft", patina: "text-patina" };

/** One mark, as its shape and its word. */
export function MarkWord({ mark }: { mark: Mark }) {
  const look = MARKS[mark];
  return (
    <span className={`whitespace-nowrap ${TONES[look.tone]}`} title={look.meaning}>
      <span aria-hidden className="mr-0.5 font-mono text-[11px]">
        {look.shape}
      </span>
      {look.word}
    </span>
  );
}

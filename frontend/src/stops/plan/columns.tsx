import type { ReactNode } from "react";
import type { Schemas } from "../../data/client";
import { useShowId } from "../../data/queries";
import { useVocabulary } from "../../data/vocabulary";
import { MeterStrip } from "../../meter/MeterStrip";
import { Glimpse } from "../../ui/Glimpse";
import { MarkWord } from "../../ui/marks";
import { Decimal, Number } from "../../ui/parts";
import type { useRoom } from "../../ui/useRoom";
import { signed } from "./PreviewTable";

type Row = Schemas["ClipRow"];

export interface Column {
  key: string;
  name: string;
  track: string;
  align?: string;
  sort?: Schemas["Sort"];
  cell: (row: Row) => ReactNode;
  look?: (row: Row) => string;
}

const STRONG = "font-semibold text-patina underline decoration-dotted underline-offset-2";

/** Every column of the ledger beside the clip's name, in the order in which they are offered. */
export const COLUMNS: Column[] = [
  {
    key: "picture",
    name: "Picture",
    track: "50px",
    cell: (row) => <Picture row={row} />,
  },
  {
    key: "shot",
    name: "Shot",
    track: "3.5rem",
    align: "text-right pr-[2.1rem]",
    sort: "shot",
    cell: (row) => <Shot row={row} />,
  },
  {
    key: "file",
    name: "File",
    track: "3.5rem",
    align: "text-right pr-[2.1rem]",
    sort: "file",
    cell: (row) => <Rate rate={row.facts?.file_rate ?? null} />,
  },
  {
    key: "read",
    name: "Read",
    track: "3.5rem",
    align: "text-right pr-[2.1rem]",
    sort: "read",
    look: (row) => (row.rerated ? STRONG : ""),
    cell: (row) => <Rate rate={row.read} note={row.rerated ? "re-rated" : "as the file says"} />,
  },
  {
    key: "decision",
    name: "Decision",
    track: "4.9rem",
    sort: "decision",
    look: (row) => `truncate ${row.intent ? "" : "text-soft italic"}`,
    cell: (row) => (
      <span title={`${row.intent_words} ${row.decided_by}`.trim()}>
        {row.plan ? row.intent_words : ""}
        {row.alone && <span title="decided only for this timeline"> ·1</span>}
      </span>
    ),
  },
  {
    key: "speed",
    name: "Speed",
    track: "4.9rem",
    align: "text-right",
    sort: "speed",
    look: () => "text-right whitespace-nowrap",
    cell: ({ plan }) =>
      plan && (
        <span title={`${plan.speed.exact}, pace ${plan.pace.percent}`}>
          <Number>{plan.speed.percent}</Number>
        </span>
      ),
  },
  {
    key: "meter",
    name: "Meter",
    track: "96px",
    sort: "cadence",
    cell: ({ plan }) => plan && <Rhythm plan={plan} />,
  },
  {
    key: "long-meter",
    name: "Long meter",
    track: "240px",
    cell: ({ plan }) => plan && <Rhythm plan={plan} size="long" />,
  },
  {
    key: "equation",
    name: "Read × speed ÷ timeline",
    track: "15.4rem",
    align: "pl-3",
    look: () => "truncate pl-3",
    cell: ({ plan }) => plan && <Number>{plan.equation}</Number>,
  },
  {
    key: "frames",
    name: "Frames",
    track: "5.4rem",
    align: "text-right",
    sort: "length",
    look: () => "text-right whitespace-nowrap",
    cell: ({ plan }) => plan && <Frames plan={plan} />,
  },
  {
    key: "beside",
    name: "Beside",
    track: "13.4rem",
    cell: ({ beside }) =>
      beside && (
        <span className="grid grid-cols-[4.9rem_96px_1fr] items-center gap-x-1.5 whitespace-nowrap">
          <Number className="text-right">{beside.speed.percent}</Number>
          <Rhythm plan={beside} />
          <Number className="text-right">{beside.after.frames}</Number>
        </span>
      ),
  },
  {
    key: "receiving",
    name: "Receiving",
    track: "7.4rem",
    align: "text-right",
    look: ({ receiving }) => `text-right whitespace-nowrap ${receiving?.off_by ? "text-brass" : ""}`,
    cell: ({ receiving }) =>
      receiving && (
        <span title="value in the receiving system, and how many frames it ends off">
          <Number>
            {receiving.number}
            {receiving.off_by ? ` ${signed(receiving.off_by)}` : ""}
          </Number>
        </span>
      ),
  },
  { key: "between", name: "Between", track: "3.6rem", cell: (row) => (row.plan ? row.between : "") },
  { key: "held", name: "Held", track: "6rem", look: () => "truncate", cell: (row) => row.held ?? "" },
  {
    key: "sound",
    name: "Sound",
    track: "7rem",
    look: () => "truncate",
    cell: (row) => (row.plan ? row.sound_words || "none" : ""),
  },
  { key: "recipe", name: "Recipe", track: "7rem", look: () => "truncate", cell: (row) => row.recipe ?? "" },
  { key: "tags", name: "Tags", track: "7rem", look: () => "truncate", cell: (row) => row.tags.join(", ") },
  {
    key: "uses",
    name: "Used",
    track: "3.5rem",
    align: "text-right pr-2",
    cell: (row) => (row.uses ? <Number>{`${row.uses} ×`}</Number> : ""),
  },
  { key: "note", name: "Note", track: "9rem", look: () => "truncate", cell: (row) => row.note },
  {
    key: "marks",
    name: "Marks",
    track: "minmax(7.1rem,1fr)",
    sort: "marks",
    look: () => "truncate text-[12.5px] *:not-last:mr-2",
    cell: (row) => row.notable.map((mark) => <MarkWord key={mark} mark={mark} />),
  },
];

export const USUAL = ["shot", "file", "read", "decision", "speed", "meter", "frames", "marks"];

/** What is shown where nobody chose: less in a narrow window, and what there is room for in a wide one. */
export const USUAL_IN: Record<ReturnType<typeof useRoom>, string[]> = {
  narrow: USUAL.filter((key) => key !== "file"),
  usual: USUAL,
  wide: ["picture", ...USUAL.flatMap((key) => (key === "meter" ? ["equation", "long-meter"] : [key]))],
};

function Picture({ row }: { row: Row }) {
  const showId = useShowId();
  if (!row.facts || row.facts.fault) return null;
  return <Glimpse showId={showId} clipId={row.id} name={row.name} frames={row.facts.frames} width={48} listed />;
}

function Rhythm({ plan, size = "mini" }: { plan: Schemas["PlanView"]; size?: "mini" | "long" }) {
  const rhythm = `${plan.kind}: ${plan.pattern}`;
  return (
    <span title={`${rhythm}; ${plan.dropped} dropped, ${plan.repeated} repeated`}>
      <MeterStrip strip={plan.strip} size={size} label={rhythm} />
    </span>
  );
}

function Frames({ plan }: { plan: Schemas["PlanView"] }) {
  const unchanged = plan.before.frames === plan.after.frames;
  return (
    <span title={`${plan.before.timecode} → ${plan.after.timecode}`}>
      <Number className="text-soft">{unchanged ? "" : `${plan.before.frames} → `}</Number>
      <Number>{plan.after.frames}</Number>
    </span>
  );
}

function Rate({ rate, note = "" }: { rate: Schemas["RateView"] | null; note?: string }) {
  if (!rate) return <span className="block text-right">—</span>;
  return <Decimal text={rate.spoken} title={`${rate.exact} ${note}`.trim()} />;
}

function Shot({ row }: { row: Row }) {
  const words = useVocabulary().certainty(row.shot_state);
  return (
    <span className={words.sure ? STRONG : ""}>
      <Rate rate={row.shot} note={words.note} />
    </span>
  );
}

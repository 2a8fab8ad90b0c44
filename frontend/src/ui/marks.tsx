import { useVocabulary, type Mark } from "../data/vocabulary";

const TONES = { noted: "text-soft", asks: "text-brass", fault: "text-madder" };

/** One mark, as its shape and its word. */
export function MarkWord({ mark }: { mark: Mark }) {
  const words = useVocabulary().mark(mark);
  return (
    <span className={`whitespace-nowrap ${TONES[words.attention]}`} title={words.meaning}>
      <span aria-hidden className="mr-0.5 font-mono text-[11px]">
        {words.shape}
      </span>
      {words.word}
    </span>
  );
}

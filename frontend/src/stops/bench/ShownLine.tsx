import type { Schemas } from "../../data/client";
import { useVocabulary } from "../../data/vocabulary";
import { Number } from "../../ui/parts";
import type { Shown, Side } from "./data";

const TONES: Record<Schemas["FrameKind"], string> = {
  unique: "text-ink",
  repeated: "text-brass",
  held: "text-brass",
  mixed: "text-ink",
  made: "text-plum",
  gathered: "text-plum",
};

/** Under a picture: which source frames, how much of each, at which timecode, and what that makes the frame. */
export function ShownLine({ name, side, shown }: { name: string; side: Side; shown: Shown | null | undefined }) {
  const words = useVocabulary();
  if (!shown) return <div className="h-[44px] px-2 py-1 text-soft">…</div>;
  return (
    <div
      className="flex h-[44px] min-w-0 items-start gap-3 overflow-hidden px-2 py-1"
      aria-label={`Side ${name} shows`}
    >
      <span className={`w-[88px] shrink-0 font-medium whitespace-nowrap ${TONES[shown.kind]}`}>
        <span aria-hidden>{words.frameKind(shown.kind).shape}</span> {shown.kind}
        {shown.skipped > 0 && (
          <span className="block text-[12px] leading-4 font-normal text-brass">
            ○ {shown.skipped} {shown.skipped === 1 ? `${side.unit} dropped` : `${side.unit}s dropped`}
          </span>
        )}
      </span>
      <span className="flex min-w-0 flex-1 flex-col">
        {shown.moments.map((moment) => (
          <span key={moment.field} className="flex gap-3 truncate leading-[18px]">
            {moment.field && <span className="w-[72px] shrink-0 text-soft">{moment.field}</span>}
            {moment.parts.map((part, i) => (
              <span key={i} className="whitespace-nowrap">
                {i === 0 && <span className="text-soft">source </span>}
                {i === 1 && moment.count > moment.parts.length && <span className="text-soft">to </span>}
                <Number className="font-medium">{part.frames}</Number>
                {moment.parts.length > 1 && <Number className="text-soft"> {part.percent}</Number>}
                {part.timecode && <Number className="text-soft"> {part.timecode}</Number>}
              </span>
            ))}
            {moment.count > moment.parts.length && (
              <span className="whitespace-nowrap text-soft">
                <Number>{moment.count}</Number> {side.unit}s
              </span>
            )}
          </span>
        ))}
      </span>
    </div>
  );
}

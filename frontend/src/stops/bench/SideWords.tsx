import type { Schemas } from "../../data/client";
import { Number } from "../../ui/parts";

/** What a side does, in two lines: its treatment; speed, length, pattern, and what is dropped or repeated. */
export function SideWords(props: { name: string; what: string; side: Schemas["SideView"]; bare?: boolean }) {
  const { name, what, side, bare } = props;
  return (
    <div className={`min-w-0 bg-ground ${bare ? "" : "px-2 py-1"}`}>
      <div className="flex items-baseline gap-2 truncate">
        <span className="font-semibold">{name}</span>
        <span className="truncate">{what}</span>
      </div>
      <div className="truncate text-[12px] leading-4 text-soft">
        <Number>{side.speed}</Number> · <Number>{side.length.frames}</Number> frames,{" "}
        <Number>{side.length.timecode}</Number> · {side.kind} <Number>{side.pattern}</Number>
        {side.dropped > 0 && (
          <>
            {" "}
            · <Number>{side.dropped}</Number> dropped
          </>
        )}
        {side.repeated > 0 && (
          <>
            {" "}
            · <Number>{side.repeated}</Number> repeated
          </>
        )}{" "}
        · {side.scan_words}
      </div>
    </div>
  );
}

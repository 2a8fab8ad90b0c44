import { useRef, type PointerEvent } from "react";
import type { Side } from "../data";
import type { MusicWork } from "./music";
import { Wave } from "./Wave";

const MUSIC = 44;

/**
 * The music beside a side on the axis of the strip: how loud it is, and its strokes. The whole is dragged to another
 * start, a stroke to another place; a stroke that is clicked takes what is chosen, or the playhead.
 */
export function MusicLane(props: {
  side: Side;
  work: MusicWork;
  first: number;
  span: number;
  width: number;
  frame: number;
  take: (stroke: number) => void;
}) {
  const { side, work, first, span, width, frame, take } = props;
  const music = work.music;
  const drag = useRef<{ x: number; stroke: number | null; by: number } | null>(null);
  const x = (place: number) => ((place - first + 0.5) / span) * width;
  const begin = (event: PointerEvent<Element>, stroke: number | null) => {
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = { x: event.clientX, stroke, by: 0 };
  };
  const carry = (event: PointerEvent<Element>) => {
    if (drag.current && event.buttons) drag.current.by = Math.round(((event.clientX - drag.current.x) / width) * span);
  };
  const end = () => {
    const done = drag.current;
    drag.current = null;
    if (!done || !music || done.by === 0) return;
    if (done.stroke === null) void work.edit({ do: "start", frame: music.start + done.by });
    else work.strokes({ do: "move", frame: done.stroke, to: done.stroke + done.by });
  };
  const seen = (music?.strokes ?? []).filter((stroke) => stroke >= first - 1 && stroke <= first + span);
  const tight = seen.length > width / 14;
  return (
    <div className="relative border-t border-hair" style={{ height: MUSIC }} role="group" aria-label="Music">
      <div
        className="absolute inset-0 cursor-ew-resize"
        onPointerDown={(event) => begin(event, null)}
        onPointerMove={carry}
        onPointerUp={end}
      >
        <Wave {...{ side, first, span, width, frame }} stream={work.stream} height={MUSIC} name="Music" has />
      </div>
      {!tight &&
        seen.map((stroke, i) => (
          <button
            key={`${stroke} ${i}`}
            type="button"
            aria-label={`Stroke on frame ${stroke}`}
            className={`absolute top-0 flex h-5 w-3 -translate-x-1/2 justify-center ${stroke === frame ? "text-patina" : "text-ink"}`}
            style={{ left: x(stroke), touchAction: "none" }}
            onClick={() => take(stroke)}
            onPointerDown={(event) => begin(event, stroke)}
            onPointerMove={carry}
            onPointerUp={end}
          >
            <span className="block h-3.5 w-[3px] bg-current" />
          </button>
        ))}
      {tight &&
        seen.map((stroke, i) => (
          <span
            key={`${stroke} ${i}`}
            className="absolute top-0 h-2 w-px bg-ink"
            style={{ left: x(stroke) }}
            aria-hidden
          />
        ))}
    </div>
  );
}

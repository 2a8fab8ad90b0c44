import { useRef, type PointerEvent } from "react";
import type { Side } from "../data";
import type { MusicWork } from "./music";
import { Wave } from "./Wave";

const MUSIC = 44;

/**
 * The music beside a side on the axis of the strip: how loud it is, and its beats. The whole is dragged to another
 * start, a beat to another place; a beat that is clicked takes what is chosen, or the playhead.
 */
export function MusicLane(props: {
  side: Side;
  work: MusicWork;
  first: number;
  span: number;
  width: number;
  frame: number;
  take: (beat: number) => void;
}) {
  const { side, work, first, span, width, frame, take } = props;
  const music = work.music;
  const drag = useRef<{ x: number; beat: number | null; by: number } | null>(null);
  const x = (place: number) => ((place - first + 0.5) / span) * width;
  const begin = (event: PointerEvent<Element>, beat: number | null) => {
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = { x: event.clientX, beat, by: 0 };
  };
  const carry = (event: PointerEvent<Element>) => {
    if (drag.current && event.buttons) drag.current.by = Math.round(((event.clientX - drag.current.x) / width) * span);
  };
  const end = () => {
    const done = drag.current;
    drag.current = null;
    if (!done || !music || done.by === 0) return;
    if (done.beat === null) void work.edit({ do: "start", frame: music.start + done.by });
    else work.beats({ do: "move", frame: done.beat, to: done.beat + done.by });
  };
  const seen = (music?.beats ?? []).filter((beat) => beat >= first - 1 && beat <= first + span);
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
        seen.map((beat, i) => (
          <button
            key={`${beat} ${i}`}
            type="button"
            aria-label={`Beat at frame ${beat}`}
            className={`absolute top-0 flex h-5 w-3 -translate-x-1/2 justify-center ${beat === frame ? "text-patina" : "text-ink"}`}
            style={{ left: x(beat), touchAction: "none" }}
            onClick={() => take(beat)}
            onPointerDown={(event) => begin(event, beat)}
            onPointerMove={carry}
            onPointerUp={end}
          >
            <span className="block h-3.5 w-[3px] bg-current" />
          </button>
        ))}
      {tight &&
        seen.map((beat, i) => (
          <span key={`${beat} ${i}`} className="absolute top-0 h-2 w-px bg-ink" style={{ left: x(beat) }} aria-hidden />
        ))}
    </div>
  );
}

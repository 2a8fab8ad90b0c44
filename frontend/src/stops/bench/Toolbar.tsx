import { useRef, useState } from "react";
import { leaveField } from "../../ui/keys";
import { Button, fieldLook, Number } from "../../ui/parts";
import type { usePlayer } from "./pictures/player";
import { cycle, ZOOMS, type Looks } from "./looks";
import { SPOTS, type Seek } from "./moves";
import type { Compare } from "./pictures/Stage";
import type { Area } from "./pictures/View";

/** Playing, moving, seeking, and how the two sides are looked at. */
export function Toolbar(props: {
  player: ReturnType<typeof usePlayer>;
  frame: number;
  /** The last frame of the side that is worked on, and of the longer one. */
  last: number;
  longest: number;
  timecode: string | undefined;
  stretched: boolean;
  looks: Looks;
  put: (looks: Partial<Looks>) => void;
  go: (frame: number) => void;
  seek: Seek;
}) {
  const { player, frame, last, looks, put, go, seek } = props;
  const { loops, compare, zoom, area, quality, checks } = looks;
  const playing = player.play.speed !== 0;
  return (
    <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-1 px-2 py-1" role="toolbar" aria-label="Moving">
      <Button className="h-6!" onClick={() => player.set(playing ? 0 : 1)} aria-label={playing ? "Stop" : "Play"}>
        {playing ? "■ stop" : "▶ play"}
      </Button>
      <FrameField frame={frame} last={last} longest={props.longest} go={go} />
      <Number className="w-[92px] text-soft">{props.timecode}</Number>
      <Toggle on={loops} does={() => put({ loops: !loops })} name={props.stretched ? "loop range" : "loop"} />
      <span className="mx-1 h-5 w-px bg-hair" />
      <span className="text-[12px] text-soft">next</span>
      {SPOTS.map((what) => (
        <Button key={what} weight="quiet" className="h-6! px-1.5!" onClick={() => void seek(what, 1)}>
          {what}
        </Button>
      ))}
      <span className="mx-1 h-5 w-px bg-hair" />
      <select
        aria-label="Compare"
        className={`${fieldLook} h-6! w-[112px]! px-1!`}
        value={compare}
        onChange={(event) => put({ compare: event.target.value as Compare })}
      >
        <option value="beside">side by side</option>
        <option value="wipe">wipe</option>
        <option value="difference">difference</option>
        <option value="blink">blink</option>
      </select>
      <Button className="h-6!" onClick={() => put({ zoom: cycle(ZOOMS, zoom) })}>
        zoom <Number>{zoom} ×</Number>
      </Button>
      <select
        aria-label="What is shown of a picture"
        className={`${fieldLook} h-6! w-[124px]! px-1!`}
        value={area}
        onChange={(event) => put({ area: event.target.value as Area })}
      >
        <option value="whole">whole picture</option>
        <option value="upper">upper field</option>
        <option value="lower">lower field</option>
        <option value="trust">with trust map</option>
      </select>
      <Toggle
        on={quality === "draft"}
        does={() => put({ quality: quality === "draft" ? "final" : "draft" })}
        name="draft"
      />
      <Toggle on={checks} does={() => put({ checks: !checks })} name="check frames" />
      <span className="flex-1" />
      {(playing || player.play.shown > 0) && (
        <span role="status" className={player.play.dropped ? "text-brass" : "text-soft"}>
          {playing ? `playing ${player.play.speed === 1 ? "" : `${player.play.speed} × `}` : "played "}
          <Number>{player.play.shown}</Number> shown, <Number>{player.play.dropped}</Number> dropped
        </span>
      )}
    </div>
  );
}

function Toggle({ on, does, name }: { on: boolean; does: () => void; name: string }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={does}
      className={`h-6 border px-2 whitespace-nowrap ${on ? "border-patina bg-patina text-on-patina" : "border-hair bg-raised hover:border-patina"}`}
    >
      {name}
    </button>
  );
}

/** The frame that is shown, of the side that is worked on; a side that is longer can still be gone through. */
function FrameField(props: { frame: number; last: number; longest: number; go: (frame: number) => void }) {
  const { frame, last, longest, go } = props;
  const [typed, setTyped] = useState<string | null>(null);
  const left = useRef(false);
  const take = () => {
    if (typed !== null && /^\d+$/.test(typed.trim())) go(+typed);
    else if (typed !== null && /^[+-]\d+$/.test(typed.trim())) go(frame + +typed);
    setTyped(null);
  };
  return (
    <label className="flex items-center gap-1 text-[12px] text-soft">
      frame
      <input
        className={`${fieldLook} h-6! w-[64px]! px-1! text-right font-mono text-[12.5px]`}
        value={typed ?? String(frame)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => {
          if (!left.current) take();
          left.current = false;
        }}
        onKeyDown={(event) => {
          if (event.key !== "Enter" && event.key !== "Escape") return;
          event.stopPropagation();
          if (event.key === "Enter") take();
          else setTyped(null);
          left.current = true;
          leaveField(event.currentTarget);
        }}
      />
      of <Number>{last}</Number>
      {longest !== last && (
        <span>
          , the other side <Number>{longest}</Number>
        </span>
      )}
    </label>
  );
}

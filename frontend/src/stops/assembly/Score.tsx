import { useEffect, useLayoutEffect, useRef, useState, type PointerEvent } from "react";
import { useKeysEverywhere } from "../../ui/keys";
import type { Schemas } from "../../data/client";
import { Button } from "../../ui/parts";
import { useEffectOf, useRulers, useBeats, type Asked, type Cut, type CutEvent } from "./data";
import { signed } from "./eventsKeys";

const NAMES = 44;
const AXIS = 22;
const MARKER = 15;
const PICTURE = 40;
const RULER = 17;
const SOUND = 24;
const NEAR = 7;

/** What is dragged; with Alt on the tail the source range stays, and the speed follows. */
const EDGES = { "trim head": "head", "trim tail": "tail", move: "move", refit: "fit range," } as const;

interface View {
  first: number;
  frames: number;
}

interface Drag {
  event: CutEvent;
  edge: "trim head" | "trim tail" | "move" | "refit";
  from: number;
  by: number;
}

/** The timeline at true length: timecode above, events on their tracks, under each how its source's frames pass. */
export function Score(props: {
  showId: number;
  cut: Cut;
  head: number;
  go: (frame: number) => void;
  chosen: Set<number>;
  choose: (ids: number[]) => void;
  act: (asked: Asked) => void;
  weigh: (asked: Asked | null) => void;
  following: Schemas["Following"];
  follow: (following: Schemas["Following"]) => void;
}) {
  const { showId, cut, head, go, chosen } = props;
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1000);
  const length = Math.max(1, cut.length.frames * 1.02);
  const [view, setView] = useState<View | null>(null);
  const [drag, setDrag] = useState<Drag | null>(null);
  const now = view ?? { first: 0, frames: length };
  const scale = width / now.frames;

  useLayoutEffect(() => {
    const measure = () => setWidth(Math.max(200, (box.current?.clientWidth ?? 1000) - NAMES));
    measure();
    window.addEventListener("resize", measure);
    return () => window.removeEventListener("resize", measure);
  }, []);

  const zoom = (by: number, around: number) => {
    const frames = Math.max(12, Math.min(length, now.frames * by));
    const first = around - ((around - now.first) / now.frames) * frames;
    setView({ frames, first: Math.max(0, Math.min(length - frames, first)) });
  };
  const pan = (by: number) =>
    setView({ ...now, first: Math.max(0, Math.min(length - now.frames, now.first + by * now.frames)) });
  useKeysEverywhere("Timeline", [
    {
      does: "zoom in or out around the playhead",
      keys: { "+": () => zoom(0.5, head), "=": () => zoom(0.5, head), "-": () => zoom(2, head) },
    },
    { does: "fit the whole timeline", keys: { "0": () => setView(null) } },
    { does: "scroll left or right", keys: { PageUp: () => pan(-0.5), PageDown: () => pan(0.5) } },
  ]);

  const frameAt = (press: { clientX: number }) => {
    const left = (box.current?.getBoundingClientRect().left ?? 0) + NAMES;
    return now.first + (press.clientX - left) / scale;
  };
  const turned = (event: WheelEvent) => {
    if (!event.ctrlKey && !event.metaKey) return;
    event.preventDefault();
    zoom(event.deltaY > 0 ? 1.25 : 0.8, frameAt(event));
  };
  const wheel = useRef(turned);
  useEffect(() => {
    wheel.current = turned;
  });
  useEffect(() => {
    const element = box.current;
    const turn = (event: WheelEvent) => wheel.current(event);
    element?.addEventListener("wheel", turn, { passive: false });
    return () => element?.removeEventListener("wheel", turn);
  }, []);

  const first = Math.floor(now.first);
  const frames = Math.ceil(now.frames);
  const rulers = useRulers(showId, cut, first, frames, Math.round(width));
  const ticks = new Map(rulers.data?.events.map((one) => [one.event, one.ticks]));
  const x = (frame: number) => (frame - now.first) * scale;
  const beats = useBeats(showId, cut);
  const axis = AXIS + (cut.markers.length > 0 ? MARKER : 0);
  const asked = (of: Drag): Asked => ({
    edit: of.edge,
    events: [of.event.id],
    snap: Math.floor(NEAR / scale),
    playhead: Math.round(head),
    ...(of.edge === "refit" ? { value: String(Math.max(1, of.event.length + of.by)) } : { by: signed(of.by) }),
  });
  // Where the edge goes to once the pointer rests: a cut point, a marker or a beat that is near.
  const resting = useEffectOf(showId, cut, drag?.by ? { following: props.following, ...asked(drag) } : null)?.data?.by;
  const by = resting ?? drag?.by ?? 0;
  const moveDrag = (press: PointerEvent) => {
    if (!drag) return;
    const to = Math.round(frameAt(press) - drag.from);
    if (to === drag.by) return;
    setDrag({ ...drag, by: to });
    props.weigh(to ? asked({ ...drag, by: to }) : null);
  };
  const endDrag = () => {
    if (drag?.by) props.act(asked(drag));
    setDrag(null);
    props.weigh(null);
  };
  const tracks = [
    ...cut.tracks.filter((track) => !track.sound).reverse(),
    ...cut.tracks.filter((track) => track.sound),
  ];
  const heightOf = (sound: boolean) => (sound ? SOUND : PICTURE + RULER);

  return (
    <section aria-label="Timeline" className="border-t border-hair bg-raised">
      <div className="flex h-7 items-center gap-1 border-b border-hair px-3 text-[12.5px] text-soft">
        <Button weight="quiet" className="h-6!" onClick={() => zoom(0.5, head)}>
          Zoom in
        </Button>
        <Button weight="quiet" className="h-6!" onClick={() => zoom(2, head)}>
          Zoom out
        </Button>
        <Button weight="quiet" className="h-6!" onClick={() => setView(null)}>
          Fit
        </Button>
        <input
          type="range"
          aria-label="Scroll the timeline"
          className="w-64 accent-(--patina)"
          min={0}
          max={Math.max(1, Math.round(length - now.frames))}
          value={Math.round(now.first)}
          disabled={!view}
          onChange={(event) => setView({ ...now, first: globalThis.Number(event.target.value) })}
        />
        {drag && by !== 0 && (
          <span className="font-mono text-ink tabular-nums">
            {EDGES[drag.edge]} {signed(by)} frames
          </span>
        )}
        <span className="flex-1" />
        <fieldset className="flex items-center gap-2 text-ink">
          <legend className="sr-only">Later events</legend>
          {(["moves", "stays"] as const).map((one) => (
            <label key={one} className="flex items-center gap-1">
              <input
                type="radio"
                name="following"
                className="accent-(--patina)"
                checked={props.following === one}
                onChange={() => props.follow(one)}
              />
              {one === "moves" ? "ripple: later events move" : "no ripple: later events stay"}
            </label>
          ))}
        </fieldset>
      </div>
      <div className="max-h-[236px] overflow-y-auto">
        <div
          ref={box}
          className="relative touch-none select-none"
          style={{ height: axis + tracks.reduce((sum, track) => sum + heightOf(track.sound), 0) }}
          onPointerMove={moveDrag}
          onPointerUp={endDrag}
          onPointerCancel={endDrag}
        >
          <div
            className="absolute top-0 right-0 overflow-hidden border-b border-hair bg-sunk"
            style={{ left: NAMES, height: axis }}
            onPointerDown={(press) => go(frameAt(press))}
          >
            {rulers.data?.axis.map((tick) => (
              <span
                key={tick.at}
                className="absolute top-0 h-full border-l border-hair pl-1 font-mono text-[11px] leading-5 whitespace-nowrap tabular-nums"
                style={{ left: x(tick.at) }}
              >
                {tick.label}
              </span>
            ))}
            {beats
              .filter((frame) => frame >= now.first && frame < now.first + now.frames)
              .map((frame) => (
                <span
                  key={frame}
                  aria-hidden
                  className="absolute bottom-0 h-1.5 w-px bg-soft"
                  style={{ left: x(frame) }}
                />
              ))}
            {cut.markers
              .filter((marker) => marker.frame >= now.first && marker.frame < now.first + now.frames)
              .map((marker) => (
                <button
                  key={marker.frame}
                  type="button"
                  tabIndex={-1}
                  aria-label={`Marker ${marker.name || "without a name"} at ${marker.timecode}`}
                  title={`${marker.name || "marker"}, ${marker.timecode}`}
                  className="absolute bottom-0 flex max-w-32 -translate-x-[5px] items-end text-[11px] leading-none text-brass"
                  style={{ left: x(marker.frame) }}
                  onPointerDown={(press) => {
                    press.stopPropagation();
                    go(marker.frame);
                  }}
                >
                  ▼<span className="truncate bg-sunk px-0.5">{marker.name}</span>
                </button>
              ))}
          </div>
          {tracks.map((track, i) => {
            const top = axis + tracks.slice(0, i).reduce((sum, one) => sum + heightOf(one.sound), 0);
            return (
              <div
                key={track.name}
                className="absolute right-0 left-0 border-b border-hair"
                style={{ top, height: heightOf(track.sound) }}
              >
                <span
                  className={`absolute left-0 flex h-full pl-3 text-[12.5px] text-soft ${track.sound ? "items-center" : "pt-2"}`}
                  style={{ width: NAMES }}
                >
                  {track.name}
                </span>
                <div className="absolute top-0 right-0 bottom-0 overflow-hidden" style={{ left: NAMES }}>
                  {cut.events
                    .filter((event) => event.track === track.name)
                    .filter(
                      (event) => event.record_in < now.first + now.frames && event.record_in + event.length > now.first,
                    )
                    .map((event) => (
                      <Bar
                        key={event.id}
                        event={event}
                        sound={track.sound}
                        on={chosen.has(event.id)}
                        left={x(event.record_in)}
                        width={event.length * scale}
                        drag={drag?.event.id === event.id ? { ...drag, by } : null}
                        scale={scale}
                        ticks={ticks.get(event.id) ?? []}
                        x={x}
                        press={(press, edge) => {
                          const extend = press.shiftKey || press.ctrlKey || press.metaKey;
                          props.choose(extend ? [...chosen, event.id] : [event.id]);
                          if (!extend) {
                            if (edge === "move" && !press.altKey) go(frameAt(press));
                            if (edge === "move" && !press.altKey) return;
                            box.current?.setPointerCapture(press.pointerId);
                            setDrag({ event, edge, from: frameAt(press), by: 0 });
                          }
                        }}
                      />
                    ))}
                </div>
              </div>
            );
          })}
          <div
            aria-hidden
            className="pointer-events-none absolute top-0 bottom-0 w-px bg-patina"
            style={{ left: NAMES + x(head), display: x(head) < 0 || x(head) > width ? "none" : undefined }}
          >
            <span className="absolute -left-[4px] top-0 size-[9px] rotate-45 bg-patina" />
          </div>
        </div>
      </div>
    </section>
  );
}

function Bar(props: {
  event: CutEvent;
  sound: boolean;
  on: boolean;
  left: number;
  width: number;
  drag: Drag | null;
  scale: number;
  ticks: { at: number; label: string }[];
  x: (frame: number) => number;
  press: (press: PointerEvent, edge: Drag["edge"]) => void;
}) {
  const { event, sound, on, drag, scale } = props;
  const by = (drag?.by ?? 0) * scale;
  const left = props.left + (drag && drag.edge !== "trim tail" && drag.edge !== "refit" ? by : 0);
  const width = Math.max(
    1,
    props.width + (drag?.edge === "trim tail" || drag?.edge === "refit" ? by : drag?.edge === "trim head" ? -by : 0),
  );
  const height = sound ? SOUND - 4 : PICTURE - 4;
  const inset = Math.max(0, -left) + 6;
  const fault = event.marks.find((mark) => mark.fault);
  const press = (edge: Drag["edge"]) => (at: PointerEvent) => {
    at.stopPropagation();
    props.press(at, edge);
  };
  return (
    <>
      <div
        title={`${event.name}, ${event.length} frames at ${event.speed}`}
        className={`absolute top-[2px] overflow-hidden border ${on ? "border-patina bg-patina-wash" : "border-soft bg-ground"} ${fault ? "border-t-madder border-t-2" : ""}`}
        style={{ left, width, height }}
        onPointerDown={press("move")}
      >
        {event.transition && (
          <svg
            aria-hidden
            className="absolute top-0 left-0 h-full text-soft"
            style={{ width: event.transition_length * scale }}
            preserveAspectRatio="none"
            viewBox="0 0 1 1"
          >
            <line x1="0" y1="1" x2="1" y2="0" stroke="currentColor" vectorEffect="non-scaling-stroke" />
          </svg>
        )}
        {width > 40 && (
          <span className="block truncate px-1.5 text-[12px] leading-4" style={{ paddingLeft: inset }}>
            {event.kind === "timeline" ? "▣ " : ""}
            {event.name}
          </span>
        )}
        {width > 70 && !sound && (
          <span
            className="block truncate px-1.5 font-mono text-[11px] leading-4 text-soft tabular-nums"
            style={{ paddingLeft: inset }}
          >
            {event.speed}
            {fault ? (
              <span className="text-madder">
                {" "}
                {fault.shape} {fault.words} {fault.frames}
              </span>
            ) : (
              ` ${event.rhythm}`
            )}
          </span>
        )}
        {width > 24 && (
          <>
            <span
              className="absolute top-0 left-0 h-full w-[6px] cursor-ew-resize"
              onPointerDown={press("trim head")}
            />
            <span
              className="absolute top-0 right-0 h-full w-[6px] cursor-ew-resize"
              title="Drag to trim. With Alt: keep the source range and change the speed."
              onPointerDown={(at) => press(at.altKey ? "refit" : "trim tail")(at)}
            />
          </>
        )}
      </div>
      {!sound && (
        <div
          aria-hidden
          className="absolute overflow-hidden"
          style={{ left: props.left, width: props.width, top: PICTURE - 2, height: RULER }}
        >
          {props.ticks.map((tick) => (
            <span
              key={tick.at}
              className="absolute h-full border-l border-soft pl-0.5 font-mono text-[10px] leading-[14px] text-soft tabular-nums"
              style={{ left: props.x(tick.at) - props.left }}
            >
              {tick.label}
            </span>
          ))}
        </div>
      )}
    </>
  );
}

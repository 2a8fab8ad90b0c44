import { useRef, type PointerEvent } from "react";
import type { Strip } from "../../../meter/MeterStrip";
import type { CurveWork, Edit } from "./curve";

export const LANE = 84;
const EDGE = 16;

/**
 * Speed along the shot, on the axis of the strip below: a height against a scale, in the ink of the strip. Points are
 * dragged sideways to another moment of the picture, points and the line between them up and down to another speed.
 */
export function CurveLane(props: { work: CurveWork; strip: Strip; first: number; span: number; width: number }) {
  const { work, strip, first, span, width } = props;
  const { view, chosen } = work;
  const wasDragged = useRef(false);
  const drag = useRef<{ x: number; y: number; way: "" | "sideways" | "up"; last: string } | null>(null);
  const ends = view.points.flatMap((point) => [point.arrives_speed, point.leaves_speed]);
  const top = Math.max(1, view.floor, ...ends) * 1.08;
  const low = Math.min(0, ...ends) * 1.08;
  const y = (speed: number) => EDGE + ((top - speed) / (top - low)) * (LANE - 2 * EDGE);
  const x = (place: number) => ((place - first + 0.5) / span) * width;
  const level = view.points[0]?.leaves_speed ?? 1;
  const line = strip.speeds.length
    ? strip.speeds.map((speed, i) => `${x(strip.speeds_at[i] ?? 0).toFixed(1)},${y(speed).toFixed(1)}`).join(" ")
    : `0,${y(level)} ${width},${y(level)}`;
  const speedAt = (height: number) => (top - ((height - EDGE) / (LANE - 2 * EDGE)) * (top - low)).toFixed(4);
  const frameAt = (place: number) => Math.max(0, Math.round((place / width) * span + first - 0.5));
  const begin = (event: PointerEvent) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = { x: event.clientX, y: event.clientY, way: "", last: "" };
    wasDragged.current = false;
  };
  const dragged = (event: PointerEvent<Element>, number: number, of: "point" | "segment") => {
    const from = drag.current;
    if (!from || !event.buttons) return null;
    const box = event.currentTarget.closest("[data-lane]")?.getBoundingClientRect();
    if (!box) return null;
    const [across, up] = [Math.abs(event.clientX - from.x), Math.abs(event.clientY - from.y)];
    if (!from.way && Math.max(across, up) > 3) from.way = of === "point" && across > up ? "sideways" : "up";
    if (!from.way) return null;
    const edit: Edit =
      from.way === "sideways"
        ? { do: "carry", number, frame: frameAt(event.clientX - box.left) }
        : {
            do: of === "point" ? "both" : "segment",
            number,
            text: `x${speedAt(event.clientY - box.top)}`,
            drawn: true,
          };
    return edit;
  };
  const hands = (number: number, of: "point" | "segment") => ({
    onPointerDown: begin,
    onPointerMove: (event: PointerEvent<Element>) => {
      const edit = dragged(event, number, of);
      if (!edit || !drag.current || drag.current.last === JSON.stringify(edit)) return;
      drag.current.last = JSON.stringify(edit);
      wasDragged.current = true;
      work.foresee(edit);
    },
    onPointerUp: () => {
      const last = drag.current?.last;
      drag.current = null;
      if (last) void work.make(JSON.parse(last) as Edit);
    },
  });
  const marks = [
    { speed: 1, words: "100 %", dashed: false },
    ...(low < 0 ? [{ speed: 0, words: "rest", dashed: false }] : []),
    ...(Math.abs(view.floor - 1) > 0.04 * (top - low)
      ? [{ speed: view.floor, words: `slow floor ${view.floor_words}`, dashed: true }]
      : []),
  ].filter(({ speed }) => speed <= top && speed >= low);
  const segments = [-1, ...view.points.keys()].map((number) => ({
    number,
    from: number < 0 ? 0 : (view.points[number]?.comes ?? 0),
    to: view.points[number + 1]?.comes ?? first + span,
  }));
  return (
    <div data-lane className="relative border-t border-hair" style={{ height: LANE }}>
      <svg width={width} height={LANE} className="absolute inset-0" role="img" aria-label="Speed along the shot">
        {marks.map(({ speed, words, dashed }) => (
          <g key={words}>
            <line
              x1={0}
              x2={width}
              y1={y(speed)}
              y2={y(speed)}
              stroke="var(--hair)"
              strokeDasharray={dashed ? "4 4" : undefined}
            />
            <text x={width - 4} y={y(speed) - 3} textAnchor="end" className="fill-soft text-[10.5px]">
              {words}
            </text>
          </g>
        ))}
        <polyline points={line} fill="none" stroke="var(--ink)" strokeWidth={1.6} />
        {segments.map(({ number, from, to }) => (
          <rect
            key={number}
            x={Math.max(0, x(from))}
            width={Math.max(0, Math.min(width, x(to)) - Math.max(0, x(from)))}
            y={0}
            height={LANE}
            fill="transparent"
            className="cursor-ns-resize"
            {...hands(number, "segment")}
          />
        ))}
      </svg>
      {view.points.map((point, number) => {
        const at = x(point.comes);
        if (at < -6 || at > width + 6) return null;
        const step = point.arrives !== point.leaves;
        const speeds = step ? `${point.arrives_words} then ${point.leaves_words}` : point.leaves_words;
        const held = point.holds ? `, holds ${point.holds} frames` : "";
        const pinned = point.at === null ? "" : `, pinned at ${point.at}`;
        return (
          <button
            key={number}
            type="button"
            aria-pressed={number === chosen}
            aria-label={`Point ${number + 1}: source frame ${point.frame}, ${speeds}${held}${pinned}`}
            onClick={() => {
              if (!wasDragged.current) work.choose(number === chosen ? null : number);
            }}
            className={`absolute flex h-4 w-4 -translate-x-1/2 -translate-y-1/2 items-center justify-center ${
              number === chosen ? "text-patina" : "text-ink"
            }`}
            style={{ left: at, top: y(point.leaves_speed), touchAction: "none" }}
            {...hands(number, "point")}
          >
            <span
              className={`block h-2.5 w-2.5 border-2 border-current ${number === chosen ? "bg-patina" : "bg-raised"}`}
            />
            <span className="absolute bottom-3.5 font-mono text-[10.5px] whitespace-nowrap">
              {point.at !== null && "▾ "}
              {number + 1}
            </span>
          </button>
        );
      })}
    </div>
  );
}

import type { ReactNode } from "react";
import type { Schemas } from "../data/client";

export type Strip = Schemas["StripView"];

interface Size {
  width: number;
  height: number;
  rail: number;
  dot: number;
}

const SIZES: Record<"mini" | "long" | "band", Size> = {
  mini: { width: 96, height: 18, rail: 3.5, dot: 1.5 },
  long: { width: 240, height: 18, rail: 3.5, dot: 1.6 },
  band: { width: 296, height: 44, rail: 8, dot: 2.2 },
};

/** Below this many pixels between source frames, dropped ones are drawn as fine strokes instead of rings. */
const CROWDED = 3.4;

/**
 * The meter strip: timeline frames as beats above, source frames at their spacing below, a thread from each
 * beat to what it shows. Hollow: dropped. Several threads to one: repeated. Thin threads: mixed. A diamond: built.
 * A triangle: gathered by an open shutter. A notch above: a hiccup.
 */
export function MeterStrip({
  strip,
  size = "mini",
  label,
}: {
  strip: Strip;
  size?: "mini" | "long" | "band";
  label: string;
}) {
  const { width, height, rail, dot } = SIZES[size];
  if (strip.columns.length) return <Curved {...{ strip, width, height, rail, dot, label }} wide={size === "band"} />;
  const left = dot + 1;
  const places = new Map(strip.units.map((unit, i) => [unit, (strip.places[i] ?? 0) - strip.first]));
  const last = Math.max(strip.frames - 1, ...places.values(), 1);
  const lowest = Math.min(0, ...places.values());
  const scale = (width - 2 * left) / (last - lowest);
  const x = (position: number) => left + (position - lowest) * scale;
  const top = rail;
  const bottom = height - rail;
  const shown = new Set(strip.beats.flatMap((beat) => beat.threads.map((thread) => thread.unit)));
  const crowded = (scale * (last - lowest)) / Math.max(1, strip.units.length) < CROWDED;
  return (
    <Rails {...{ width, height, label, bottom }} top={top} wide={size === "band"}>
      {strip.beats.flatMap((beat, i) =>
        beat.threads.map(({ unit, at, weight }) => (
          <line
            key={`t${i} ${at} ${unit}`}
            x1={x(i + at)}
            y1={top}
            x2={x(places.get(unit) ?? 0)}
            y2={bottom}
            stroke={isAgain(beat.kind) ? "var(--brass)" : "var(--ink)"}
            strokeWidth={(size !== "band" ? 0.9 : 1) * (weight < 1 ? 0.4 + 0.4 * weight : 1)}
          />
        )),
      )}
      {strip.beats.map((beat, i) =>
        beat.kind === "made" || beat.kind === "gathered" ? (
          <path key={`b${i}`} d={(beat.kind === "made" ? diamond : triangle)(x(i), top, dot + 1)} fill="var(--plum)" />
        ) : (
          <line
            key={`b${i}`}
            x1={x(i)}
            x2={x(i)}
            y1={top - dot - 0.8}
            y2={top + 0.6}
            stroke="var(--ink)"
            strokeWidth={1.2}
          />
        ),
      )}
      {strip.units.map((unit) => {
        const at = x(places.get(unit) ?? 0);
        if (shown.has(unit)) return <circle key={unit} cx={at} cy={bottom} r={dot} fill="var(--ink)" />;
        return crowded ? (
          <line key={unit} x1={at} x2={at} y1={bottom - dot} y2={bottom + dot} stroke="var(--soft)" strokeWidth={0.5} />
        ) : (
          <circle key={unit} cx={at} cy={bottom} r={dot} fill="var(--raised)" stroke="var(--soft)" strokeWidth={0.8} />
        );
      })}
      {strip.hiccups.map((spot) => {
        const at = x(spot - strip.first);
        return <path key={`h${spot}`} d={`M${at - 3} 0H${at + 3}L${at} 4Z`} fill="var(--brass)" />;
      })}
    </Rails>
  );
}

/** A whole clip whose speed changes: its line of speed between the rails, and above it what its frames are like. */
function Curved(props: Size & { strip: Strip; label: string; wide: boolean }) {
  const { strip, width, height, rail, dot, label, wide } = props;
  const fastest = Math.max(0.01, ...strip.speeds.map(Math.abs));
  const x = (place: number) => ((place - strip.first) / Math.max(1, strip.frames)) * width;
  const bottom = height - dot;
  const y = (speed: number) => bottom - (Math.abs(speed) / fastest) * (bottom - rail - 2 * dot);
  const starts = strip.columns.reduce<number[]>((all, one) => [...all, (all.at(-1) ?? 0) + one.frames], [0]);
  return (
    <Rails {...{ width, height, label, bottom }} top={rail} wide={wide}>
      {strip.columns.map((column, i) => {
        const at = x(strip.first + (starts[i] ?? 0) + column.frames / 2);
        if (2 * column.made > column.frames) return <path key={i} d={diamond(at, rail, dot + 1)} fill="var(--plum)" />;
        const ink = 3 * column.repeated > column.frames ? "var(--brass)" : "var(--ink)";
        return <line key={i} x1={at} x2={at} y1={rail - dot - 0.8} y2={rail + 0.6} stroke={ink} strokeWidth={1.2} />;
      })}
      <polyline
        points={strip.speeds.map((speed, i) => `${x(strip.speeds_at[i] ?? 0)},${y(speed)}`).join(" ")}
        fill="none"
        stroke="var(--ink)"
        strokeWidth={1.2}
      />
    </Rails>
  );
}

export const isAgain = (kind: Schemas["FrameKind"]) => kind === "repeated" || kind === "held";

const diamond = (x: number, y: number, r: number) => `M${x} ${y - r}l${r} ${r}l${-r} ${r}l${-r} ${-r}Z`;

const triangle = (x: number, y: number, r: number) => `M${x} ${y - r}l${r} ${2 * r}h${-2 * r}Z`;

/** The two rails that a strip is drawn on. */
function Rails(props: {
  width: number;
  height: number;
  top: number;
  bottom: number;
  wide: boolean;
  label: string;
  children: ReactNode;
}) {
  const { width, height, top, bottom, wide, label, children } = props;
  return (
    <svg
      role="img"
      aria-label={label}
      width={width}
      height={height}
      viewBox={`0 0 ${width} ${height}`}
      className={wide ? "block w-full" : "block"}
    >
      <path d={`M0 ${top}H${width}M0 ${bottom}H${width}`} stroke="var(--hair)" strokeWidth={1} fill="none" />
      {children}
    </svg>
  );
}

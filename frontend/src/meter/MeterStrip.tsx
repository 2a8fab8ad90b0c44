import type { Schemas } from "../data/client";

type Strip = Schemas["StripView"];

interface Size {
  width: number;
  height: number;
  rail: number;
  dot: number;
}

const SIZES: Record<"mini" | "band", Size> = {
  mini: { width: 96, height: 18, rail: 3.5, dot: 1.5 },
  band: { width: 296, height: 44, rail: 8, dot: 2.2 },
};

/** Below this many pixels between source frames, dropped ones are drawn as fine strokes instead of rings. */
const CROWDED = 3.4;

/**
 * The meter strip: timeline frames as beats above, source frames at their spacing below, a thread from each
 * beat to what it shows. Hollow: dropped. Several threads to one: repeated. A notch above: a hiccup.
 */
export function MeterStrip({ strip, size = "mini", label }: { strip: Strip; size?: "mini" | "band"; label: string }) {
  const { width, height, rail, dot } = SIZES[size];
  const beats = strip.picks.length;
  const left = dot + 1;
  const sourceX = (s: number) => s / strip.source_a_beat - strip.first;
  const last = Math.max(beats - 1, sourceX(strip.source_stop - 1), 1);
  const lowest = Math.min(0, sourceX(strip.source_first));
  const scale = (width - 2 * left) / (last - lowest);
  const x = (position: number) => left + (position - lowest) * scale;
  const top = rail;
  const bottom = height - rail;
  const shown = new Set(strip.picks);
  const hiccups = new Set(strip.hiccups);
  const source = Array.from({ length: strip.source_stop - strip.source_first }, (_, i) => strip.source_first + i);
  const crowded = scale / strip.source_a_beat < CROWDED;
  return (
    <svg
      role="img"
      aria-label={label}
      width={width}
      height={height}
      viewBox={`0 0 ${width} ${height}`}
      className={size === "band" ? "block w-full" : "block"}
    >
      <path d={`M0 ${top}H${width}M0 ${bottom}H${width}`} stroke="var(--hair)" strokeWidth={1} fill="none" />
      {strip.picks.map((pick, i) => (
        <line
          key={`t${i}`}
          x1={x(i)}
          y1={top}
          x2={x(sourceX(pick))}
          y2={bottom}
          stroke={i > 0 && strip.picks[i - 1] === pick ? "var(--brass)" : "var(--ink)"}
          strokeWidth={size === "mini" ? 0.9 : 1}
        />
      ))}
      {strip.picks.map((_, i) => (
        <line
          key={`b${i}`}
          x1={x(i)}
          x2={x(i)}
          y1={top - dot - 0.8}
          y2={top + 0.6}
          stroke="var(--ink)"
          strokeWidth={1.2}
        />
      ))}
      {source.map((s) =>
        shown.has(s) ? (
          <circle key={s} cx={x(sourceX(s))} cy={bottom} r={dot} fill="var(--ink)" />
        ) : crowded ? (
          <line
            key={s}
            x1={x(sourceX(s))}
            x2={x(sourceX(s))}
            y1={bottom - dot}
            y2={bottom + dot}
            stroke="var(--soft)"
            strokeWidth={0.5}
          />
        ) : (
          <circle
            key={s}
            cx={x(sourceX(s))}
            cy={bottom}
            r={dot}
            fill="var(--raised)"
            stroke="var(--soft)"
            strokeWidth={0.8}
          />
        ),
      )}
      {strip.picks.map((_, i) =>
        hiccups.has(strip.first + i) ? (
          <path key={`h${i}`} d={`M${x(i) - 3} 0H${x(i) + 3}L${x(i)} 4Z`} fill="var(--brass)" />
        ) : null,
      )}
    </svg>
  );
}

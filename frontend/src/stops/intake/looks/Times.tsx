import type { Schemas } from "../../../data/client";
import { Number } from "../../../ui/parts";
import type { LookProps } from "./props";

/** How long the frames last, by their timestamps. */
export function Times({ row, dossier }: LookProps) {
  const facts = row.facts;
  if (dossier.intervals.length === 0)
    return <p className="p-3 text-soft">This clip has no timestamps, so no frame rate.</p>;
  return (
    <div className="flex flex-col gap-2 p-3">
      {dossier.clock && <OwnTimes clock={dossier.clock} />}
      <p className="text-[12.5px]">
        {facts?.timing === "variable"
          ? "Its frames are unevenly spaced."
          : dossier.intervals.length > 1
            ? "Its frames are evenly spaced; the container rounds their times."
            : "Its frames are evenly spaced."}{" "}
        <span className="text-soft">
          On average <Number>{facts?.measured_rate ?? "?"}</Number> a second; the first at{" "}
          <Number>{dossier.start}</Number>.
        </span>
      </p>
      <table className="w-full max-w-xl text-[12.5px]">
        <thead className="text-left text-[12px] text-soft">
          <tr>
            <th className="w-24 pr-3 text-right font-normal">Lasts, ms</th>
            <th className="w-20 pr-3 text-right font-normal">Frames</th>
            <th className="font-normal">How many</th>
          </tr>
        </thead>
        <tbody>
          {dossier.intervals.map((interval) => (
            <tr key={interval.milliseconds}>
              <td className="pr-3 text-right font-mono tabular-nums">{interval.milliseconds}</td>
              <td className="pr-3 text-right font-mono tabular-nums">{interval.count}</td>
              <td>
                <div className="h-3 bg-patina" style={{ width: `${interval.share}%` }} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const WIDE = 560;
const HIGH = 72;

/** The times of a clip that are its own: frames a second over time, and spots where one is missing or there twice. */
function OwnTimes({ clock }: { clock: Schemas["ClockView"] }) {
  const most = Math.max(...clock.rates, 1);
  const step = WIDE / clock.rates.length;
  const y = (rate: number) => HIGH - (rate / most) * (HIGH - 16);
  const line = clock.rates.map((rate, i) => `${i * step},${y(rate)} ${(i + 1) * step},${y(rate)}`).join(" ");
  return (
    <figure className="m-0 max-w-xl">
      <figcaption className="mb-1 text-[12.5px]">∿ {clock.words}</figcaption>
      <svg
        role="img"
        aria-label={`Frames a second over time: ${clock.words}`}
        viewBox={`0 0 ${WIDE} ${HIGH + 16}`}
        className="block w-full"
      >
        <path d={`M0 ${HIGH}H${WIDE}`} stroke="var(--hair)" />
        <polyline points={line} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
        <text x={2} y={y(most) - 3} className="fill-soft font-mono text-[11px]">
          {most.toFixed(most < 100 ? 1 : 0)} a second
        </text>
        <text x={0} y={HIGH + 13} className="fill-soft font-mono text-[11px]">
          0
        </text>
        <text x={WIDE} y={HIGH + 13} textAnchor="end" className="fill-soft font-mono text-[11px]">
          {clock.seconds}
        </text>
        {clock.spots.map((spot) => (
          <path
            key={`${spot.words} ${spot.frame}`}
            d={`M${spot.at * WIDE - 4} ${HIGH + 6}h8l-4 -6Z`}
            fill="var(--brass)"
          />
        ))}
      </svg>
      {clock.spots.length > 0 && (
        <p className="text-[12px] text-soft">
          ▲ {clock.spots.map((spot) => `${spot.words} frame ${spot.frame}`).join(", ")}
        </p>
      )}
    </figure>
  );
}

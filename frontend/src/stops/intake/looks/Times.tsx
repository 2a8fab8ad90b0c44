import { Number } from "../../../ui/parts";
import type { LookProps } from "./props";

/** How long the frames last, by their timestamps. */
export function Times({ row, dossier }: LookProps) {
  const facts = row.facts;
  if (dossier.intervals.length === 0)
    return <p className="p-3 text-soft">This clip has no timestamps: it has no rate of its own.</p>;
  return (
    <div className="flex flex-col gap-2 p-3">
      <p className="text-[12.5px]">
        {facts?.timing === "variable"
          ? "Its frames come at uneven times."
          : dossier.intervals.length > 1
            ? "Its frames come evenly; the container's clock is coarse and rounds their times."
            : "Its frames come evenly."}{" "}
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

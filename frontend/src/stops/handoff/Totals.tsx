import { Link } from "react-router";
import type { Schemas } from "../../data/client";
import { Number } from "../../ui/parts";
import { inFiles } from "../../ui/words";

/** What is to be made, before it is: files, size, time and room, and what asks to be looked at first. */
export function Totals({ showId, totals }: { showId: number; totals: Schemas["HandoffTotals"] }) {
  const fresh = totals.files - totals.changed;
  return (
    <table className="mt-2 w-full border-y border-hair text-[12.5px]" aria-label="Before the start">
      <tbody>
        <tr className="[&_th]:pr-2 [&_th]:text-left [&_th]:font-normal [&_th]:text-soft">
          <th scope="row">To make</th>
          <td>
            <Number>{totals.files}</Number> {totals.files === 1 ? "file" : "files"}
            {totals.changed > 0 && ` (${fresh} new, ${totals.changed} changed)`}
          </td>
          <th scope="row">Frames</th>
          <td className="text-right">
            <Number>{totals.frames}</Number>
          </td>
          <th scope="row" className="pl-4">
            Size
          </th>
          <td className={totals.fits ? "" : "text-madder"}>
            {estimate(totals, totals.megabytes === null ? null : inBytes(totals.megabytes))}
            {totals.fits
              ? `, ${inBytes(totals.free_megabytes)} free`
              : `: ✕ only ${inBytes(totals.free_megabytes)} free`}
          </td>
        </tr>
        <tr className="[&_th]:pr-2 [&_th]:text-left [&_th]:font-normal [&_th]:text-soft">
          <th scope="row">As they are</th>
          <td>{totals.unchanged ? `✓ ${inFiles(totals.unchanged)} would be the same` : "none made so far"}</td>
          <th scope="row">Refused</th>
          <td className={`text-right ${totals.refused ? "text-madder" : ""}`}>
            {totals.refused > 0 && <span aria-hidden>✕ </span>}
            <Number>{totals.refused}</Number>
          </td>
          <th scope="row" className="pl-4">
            Time
          </th>
          <td>{estimate(totals, totals.time)}</td>
        </tr>
        {totals.marks.length > 0 && (
          <tr className="[&_th]:pr-2 [&_th]:text-left [&_th]:font-normal [&_th]:text-soft">
            <th scope="row">Look first</th>
            <td colSpan={5} className="text-brass">
              {totals.marks.map((mark, i) => (
                <span key={mark.mark}>
                  {i > 0 && ", "}
                  <Link className="hover:underline" to={`/shows/${showId}/plan?mark=${mark.mark}`}>
                    {mark.clips} {mark.word}
                  </Link>
                </span>
              ))}
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

/** What is estimated, in words; nothing where nothing is to make. */
function estimate(totals: Schemas["HandoffTotals"], measured: string | null): string {
  if (totals.files === 0) return "none";
  return measured === null ? "not measured yet" : `about ${measured}`;
}

/** Megabytes as people say them. */
export function inBytes(megabytes: number): string {
  if (megabytes >= 1e6) return `${(megabytes / 1e6).toFixed(1)} TB`;
  return megabytes >= 1000 ? `${(megabytes / 1000).toFixed(1)} GB` : `${Math.ceil(megabytes)} MB`;
}

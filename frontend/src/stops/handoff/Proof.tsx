import { Number } from "../../ui/parts";
import type { Schemas } from "../../data/client";

/** What the proof of a file compared, and where the file is. */
export function Proof({ render }: { render: Schemas["RenderView"] }) {
  return (
    <div className="mt-1 pl-6">
      <table className="w-full text-[12.5px] [&_td]:pr-3" aria-label={`Checks of ${render.out_path}`}>
        <thead className="text-left text-soft">
          <tr>
            <th className="font-normal">Checked</th>
            <th className="font-normal">Planned</th>
            <th className="font-normal">Found</th>
            <th className="w-20 font-normal">Outcome</th>
          </tr>
        </thead>
        <tbody>
          {render.checks.map((check) => (
            <tr key={check.name} className="border-t border-hair">
              <td>{check.name}</td>
              <td>
                <Number>{check.planned}</Number>
              </td>
              <td>
                <Number>{check.found}</Number>
              </td>
              <td className={check.passed ? "text-patina" : "text-madder"}>
                {check.passed ? "✓ matches" : "✕ differs"}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {render.wrong_frames.length > 0 && (
        <p className="mt-1 text-madder">
          Not as planned at frames <Number>{render.wrong_frames.slice(0, 12).join(", ")}</Number>
        </p>
      )}
      {render.too_still > 0 && (
        <p className="mt-1 text-soft">
          At <Number>{render.too_still}</Number> frames the source hardly changes, so a repeat could not be told from a
          new picture there.
        </p>
      )}
      <p className="mt-1 text-soft">
        {render.state === "done" ? "It is at" : "Its place is"}{" "}
        <span className="font-mono break-all text-ink select-all">{render.full_path}</span>
      </p>
      <p className="mt-1 text-soft">
        For {render.timeline}, setting {render.setting}
        {render.attempts > 1 ? `, taken up ${render.attempts} times` : ""}.
      </p>
    </div>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, Heading, Number } from "../../ui/parts";
import { inFiles } from "../../ui/words";

/** What was asked for together: how it came out, with a report to print or send. */
export function Runs({ showId }: { showId: number }) {
  const runs = useQuery({
    queryKey: ["runs", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/handoff/runs", { params: { path: { show_id: showId } } })),
  }).data;
  const [all, setAll] = useState(false);
  if (!runs?.length) return null;
  const shown = all ? runs : runs.slice(0, 2);
  return (
    <>
      <Heading
        aside={
          runs.length > 2 && (
            <Button weight="quiet" onClick={() => setAll(!all)}>
              {all ? "Fewer" : `All ${runs.length}`}
            </Button>
          )
        }
      >
        Runs
      </Heading>
      <ul className="max-h-[24%] shrink-0 overflow-auto border-b border-hair" aria-label="Runs">
        {shown.map((run) => {
          const parts = [
            run.proven === run.files ? `✓ ${inFiles(run.files)} proven` : `${run.proven} of ${run.files} proven`,
            run.failed ? `✕ ${run.failed} failed` : "",
            run.unchanged ? `${run.unchanged} unchanged` : "",
            run.refused ? `✕ ${run.refused} refused` : "",
          ];
          return (
            <li key={run.id} className="flex items-center gap-2 px-3 py-1 text-[12.5px]">
              <span className="min-w-0 flex-1 truncate">
                <b className="font-medium">{run.plan || "just once"}</b>
                <span className="ml-2 text-soft">{parts.filter(Boolean).join(", ")}</span>
              </span>
              <Number className="whitespace-nowrap text-soft">
                {new Date(run.asked_at).toLocaleString(undefined, { dateStyle: "short", timeStyle: "short" })}
              </Number>
              <Report showId={showId} run={run} />
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** The report of a run: asked for, being written, or there to be opened. */
function Report({ showId, run }: { showId: number; run: Schemas["HandoffRunView"] }) {
  const path = { show_id: showId, run_id: run.id };
  const ask = useAct(
    () => answer(api.POST("/api/shows/{show_id}/handoff/runs/{run_id}/report", { params: { path } })),
    () => "The report is being written.",
  );
  const name = `of ${run.plan || "the run"}, ${run.asked_at}`;
  if (run.report === "waiting")
    return (
      <span className="whitespace-nowrap text-soft">
        report: <Number>{run.reported}</Number> of <Number>{run.files}</Number>
      </span>
    );
  return (
    <span className="flex gap-2 whitespace-nowrap">
      {run.report === "ready" && (
        <a
          className="text-patina hover:underline"
          href={`/api/shows/${showId}/handoff/runs/${run.id}/report.html`}
          target="_blank"
          rel="noreferrer"
          aria-label={`Report ${name}`}
        >
          Report
        </a>
      )}
      {run.report === "failed" && (
        <span className="text-madder" title={run.report_fault ?? ""}>
          ✕ no report
        </span>
      )}
      <button
        type="button"
        className="text-patina hover:underline"
        aria-label={run.report ? `Write the report ${name} anew` : `Write report ${name}`}
        onClick={() => ask.mutate(undefined)}
      >
        {run.report ? "anew" : "Write report"}
      </button>
    </span>
  );
}

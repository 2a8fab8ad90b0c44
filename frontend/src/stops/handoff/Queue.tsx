import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct, useQueue, useRenders } from "../../data/queries";
import { Packages } from "./Packages";
import { SheetLine } from "./SheetLine";
import { Button, Empty, Heading, Number, Opener, Progress } from "../../ui/parts";
import { inFiles } from "../../ui/words";

type Render = Schemas["RenderView"];

const AT_ONCE = 200;

const STATES: Record<string, { word: string; shape: string; tone: string }> = {
  waiting: { word: "waiting", shape: "○", tone: "text-soft" },
  rendering: { word: "being made", shape: "◐", tone: "text-patina" },
  proving: { word: "being proven", shape: "◑", tone: "text-patina" },
  done: { word: "proven", shape: "✓", tone: "text-patina" },
  failed: { word: "failed", shape: "✕", tone: "text-madder" },
  cancelled: { word: "cancelled", shape: "–", tone: "text-soft" },
};

/** The sheet to hand over, the queue with progress, and the proof of each file. */
export function Queue({ showId }: { showId: number }) {
  const [count, setCount] = useState(AT_ONCE);
  const renders = useRenders(showId, count);
  const rows = renders.data ?? [];
  const all = useQueue(showId).data;
  const path = { params: { path: { show_id: showId } } };
  const cancel = useAct(
    () => answer(api.POST("/api/shows/{show_id}/renders/cancel", path)),
    ({ files }) => `Stopping ${inFiles(files)}.`,
  );
  const retry = useAct(
    () => answer(api.POST("/api/shows/{show_id}/renders/retry", path)),
    ({ files }) => `${inFiles(files)} queued again.`,
  );
  return (
    <section className="flex min-h-0 min-w-0 flex-col bg-raised" aria-label="Queue and proof">
      <SheetLine showId={showId} />
      <Packages showId={showId} renders={rows} />
      <Heading
        aside={
          <span className="flex">
            {all && all.again > 1 && (
              <Button weight="quiet" className="px-1!" onClick={() => retry.mutate(undefined)}>
                Try {inFiles(all.again)} again
              </Button>
            )}
            {all && all.under_way > 1 && (
              <Button weight="quiet" className="px-1!" onClick={() => cancel.mutate(undefined)}>
                Cancel {inFiles(all.under_way)}
              </Button>
            )}
          </span>
        }
      >
        Queue and proof
        {all && all.files > 0 && (
          <span className="ml-2 font-normal text-soft">
            <Number>{all.proven}</Number> of <Number>{all.files}</Number> proven
            {all.left && `, ${all.left} left`}
            {all.failed > 0 && <span className="text-madder"> ✕ {all.failed} failed</span>}
          </span>
        )}
      </Heading>
      {renders.error && <p className="p-3 text-madder">▲ {renders.error.message}</p>}
      {rows.length === 0 ? (
        <Empty title="No files have been made yet.">
          Every finished file is reopened and compared with its plan, frame by frame. Results appear here.
        </Empty>
      ) : (
        <ul className="min-h-0 flex-1 overflow-auto" aria-live="off">
          {rows.map((render) => (
            <RenderItem key={render.id} render={render} />
          ))}
          {all && all.files > rows.length && rows.length >= count && (
            <li className="px-3 py-2">
              <Button weight="quiet" onClick={() => setCount(Math.min(2000, count + AT_ONCE))}>
                Show more of {all.files} files
              </Button>
            </li>
          )}
        </ul>
      )}
    </section>
  );
}

function RenderItem({ render }: { render: Render }) {
  const [open, setOpen] = useState(false);
  const path = { params: { path: { render_id: render.id } } };
  const cancel = useAct(
    () => answer(api.POST("/api/renders/{render_id}/cancel", path)),
    () => `${render.out_path} is being stopped.`,
  );
  const retry = useAct(
    () => answer(api.POST("/api/renders/{render_id}/retry", path)),
    () => `${render.out_path} is queued again.`,
  );
  const state = STATES[render.state] ?? { word: render.state, shape: "", tone: "" };
  const underWay = ["waiting", "rendering", "proving"].includes(render.state);
  const agreeing = render.checks.filter((check) => check.passed).length;
  return (
    <li className="border-b border-hair px-3 py-1.5">
      <div className="flex items-center gap-2">
        <Opener
          label={`Proof of ${render.out_path}`}
          open={open}
          disabled={!render.checks.length && !render.fault}
          toggle={() => setOpen(!open)}
        />
        <span className="min-w-0 flex-1 truncate font-medium" title={render.out_path}>
          {render.out_path}
        </span>
        <span className={`whitespace-nowrap ${state.tone}`}>
          <span aria-hidden>{state.shape} </span>
          {state.word}
          {render.checks.length > 0 && (
            <Number className="ml-1">
              {agreeing} of {render.checks.length}
            </Number>
          )}
        </span>
        {underWay && (
          <Button
            weight="quiet"
            className="px-1!"
            onClick={() => cancel.mutate(undefined)}
            aria-label={`Cancel ${render.out_path}`}
          >
            Cancel
          </Button>
        )}
        {["failed", "cancelled"].includes(render.state) && (
          <Button
            weight="quiet"
            className="px-1!"
            onClick={() => retry.mutate(undefined)}
            aria-label={`Try ${render.out_path} again`}
          >
            Try again
          </Button>
        )}
        {render.state === "done" && !render.is_folder && (
          <a
            className="px-1 text-patina hover:underline"
            href={`/made/${render.out_path.split("/").map(encodeURIComponent).join("/")}`}
            target="_blank"
            rel="noreferrer"
          >
            Open
          </a>
        )}
      </div>
      {underWay && render.state !== "waiting" && (
        <div className="mt-1 flex items-center gap-2 pl-6 text-[12.5px] text-soft">
          <Progress
            done={render.done_frames}
            of={render.total_frames}
            label={`Frames of ${render.out_path} ${render.state === "proving" ? "proven" : "made"}`}
          />
          <Number className="w-32 shrink-0 text-right whitespace-nowrap">
            {render.done_frames} of {render.total_frames}
          </Number>
          <Number className="w-20 shrink-0 text-right whitespace-nowrap">
            {render.left ? `${render.left} left` : ""}
          </Number>
        </div>
      )}
      {render.fault && <p className="mt-0.5 pl-6 text-[12.5px] text-madder">{render.fault}</p>}
      {open && <Proof render={render} />}
    </li>
  );
}

function Proof({ render }: { render: Render }) {
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

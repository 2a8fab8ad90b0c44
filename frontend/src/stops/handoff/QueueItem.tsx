import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, Number, Opener, Progress } from "../../ui/parts";
import { Proof } from "./Proof";
import type { Hands } from "./hands";

type Render = Schemas["RenderView"];

const STATES: Record<string, { word: string; shape: string; tone: string }> = {
  waiting: { word: "waiting", shape: "○", tone: "text-soft" },
  rendering: { word: "being made", shape: "◐", tone: "text-patina" },
  proving: { word: "being proven", shape: "◑", tone: "text-patina" },
  done: { word: "proven", shape: "✓", tone: "text-patina" },
  failed: { word: "failed", shape: "✕", tone: "text-madder" },
  cancelled: { word: "cancelled", shape: "–", tone: "text-soft" },
};

/** A file that is asked for: how far it is, its proof; picked, to be moved or stopped with others. */
export function QueueItem({ render, hands }: { render: Render; hands: Hands }) {
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
  const waits = render.state === "waiting";
  const picked = hands.picked.has(render.id);
  const agreeing = render.checks.filter((check) => check.passed).length;
  return (
    <li
      className={`border-b border-hair px-3 py-1.5 ${picked ? "bg-patina-wash" : ""} ${hands.over === render.id ? "border-t-2 border-t-patina" : ""}`}
      draggable={waits}
      onDragStart={(event) => {
        event.dataTransfer.setData("text/plain", String(render.id));
        hands.drag(render.id);
      }}
      onDragOver={(event) => {
        if (waits && hands.dragged !== null) {
          event.preventDefault();
          hands.hover(render.id);
        }
      }}
      onDrop={(event) => {
        event.preventDefault();
        hands.drop(render.id);
      }}
      onDragEnd={() => hands.drop(null)}
    >
      <div className="flex items-center gap-2">
        <Opener
          label={`Proof of ${render.out_path}`}
          open={open}
          disabled={!render.checks.length && !render.fault}
          toggle={() => setOpen(!open)}
        />
        <button
          type="button"
          aria-pressed={picked}
          className="min-w-0 flex-1 truncate text-left font-medium"
          title={`${render.out_path}: pick it, to stop it or move it with others`}
          onClick={(event) => hands.pick(render.id, event.shiftKey)}
          onKeyDown={(event) => {
            if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
            event.preventDefault();
            if (waits) hands.step(render.id, event.key === "ArrowUp" ? -1 : 1);
          }}
        >
          {render.out_path}
        </button>
        <span className={`whitespace-nowrap ${state.tone}`}>
          <span aria-hidden>{render.paused ? "‖" : state.shape} </span>
          {render.paused ? "paused" : state.word}
          {waits && render.urgency !== 0 && <b className="ml-1">{render.urgency > 0 ? "urgent" : "when idle"}</b>}
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

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, fieldLook, Labelled, Options } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { isOfTimeline } from "../../ui/Outputs";
import type { Handoff, Of } from "./state";

const OF: readonly (readonly [Of, string])[] = [
  ["clips", "ticked clips"],
  ["decided", "clips with a speed set"],
  ["usable", "all clips"],
  ["events", "events of a timeline"],
  ["transitions", "transitions of a timeline"],
  ["timeline", "a whole timeline"],
];

/** The open handoff plan, what it makes files of, and the keeping of it. */
export function PlanLine({ showId, handoff }: { showId: number; handoff: Handoff }) {
  const path = { show_id: showId };
  const plans = useQuery({
    queryKey: ["plans", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/handoff/plans", { params: { path } })),
  });
  const [naming, setNaming] = useState(false);
  const { plan, document } = handoff;
  const known = plans.data ?? [];
  const kept = known.find((one) => one.id === plan?.id);
  const save = useAct(
    async (name: string) => {
      if (plan && plan.name === name) {
        const body = { name, document, revision: kept?.revision ?? plan.revision };
        await answer(
          api.PUT("/api/shows/{show_id}/handoff/plans/{plan_id}", {
            params: { path: { ...path, plan_id: plan.id } },
            body,
          }),
        );
        return { ...plan, ...body, revision: body.revision + 1 };
      }
      const body = { name, document };
      const made = await answer(api.POST("/api/shows/{show_id}/handoff/plans", { params: { path }, body }));
      return { id: made.id, name, document, revision: 1 };
    },
    (saved) => {
      handoff.setPlan(saved);
      setNaming(false);
      return `Handoff plan “${saved.name}” kept.`;
    },
  );
  const remove = useAct(
    (gone: Schemas["HandoffPlanView"]) =>
      answer(
        api.DELETE("/api/shows/{show_id}/handoff/plans/{plan_id}", {
          params: { path: { ...path, plan_id: gone.id } },
        }),
      ),
    (done) => {
      handoff.open(null);
      return `${done.title}. Its files stay.`;
    },
  );
  const changed = plan !== null && kept !== undefined && !isSame(kept.document, document);
  return (
    <div className="mb-2 flex flex-wrap items-end gap-x-3 gap-y-1">
      <Labelled label="Handoff plan">
        <select
          className={`${fieldLook} w-40!`}
          value={plan?.id ?? ""}
          onChange={(e) => handoff.open(known.find((one) => one.id === Number(e.target.value)) ?? null)}
        >
          <option value="">none, just this once</option>
          {known.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label="Makes files of">
        <select
          className={`${fieldLook} w-44!`}
          value={handoff.of}
          onChange={(e) => handoff.makeOf(e.target.value as Of)}
        >
          <Options of={OF} />
        </select>
      </Labelled>
      {isOfTimeline(handoff.of) && (
        <Labelled label="Timeline">
          <select
            className={`${fieldLook} w-36!`}
            value={handoff.timeline}
            onChange={(e) => handoff.setTimeline(Number(e.target.value))}
          >
            {handoff.timelines.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </Labelled>
      )}
      {handoff.of === "events" && (
        <Labelled label="Handles, frames">
          <input
            className={`${fieldLook} w-16! text-right font-mono`}
            inputMode="numeric"
            value={handoff.handles}
            onChange={(e) => handoff.setHandles(Math.min(1000, parseInt(e.target.value, 10) || 0))}
          />
        </Labelled>
      )}
      <span className="ml-auto flex">
        {changed && (
          <Button weight="quiet" className="px-1.5!" disabled={save.isPending} onClick={() => save.mutate(plan.name)}>
            Keep changes
          </Button>
        )}
        <Button weight="quiet" className="px-1.5!" onClick={() => setNaming(true)}>
          {plan ? "Keep as…" : "Keep as a plan…"}
        </Button>
        {plan && (
          <Button weight="quiet" className="px-1.5!" onClick={() => remove.mutate(plan)}>
            Remove
          </Button>
        )}
      </span>
      {naming && (
        <NameSheet
          start={plan ? `${plan.name} 2` : ""}
          save={(name) => save.mutate(name)}
          close={() => setNaming(false)}
        />
      )}
    </div>
  );
}

function NameSheet(props: { start: string; save: (name: string) => void; close: () => void }) {
  const [name, setName] = useState(props.start);
  const done = () => name.trim() && props.save(name.trim());
  return (
    <Sheet
      title="Keep as a handoff plan"
      open
      close={props.close}
      foot={
        <>
          <Button weight="quiet" onClick={props.close}>
            Cancel
          </Button>
          <Button weight="main" disabled={!name.trim()} onClick={done}>
            Keep the plan
          </Button>
        </>
      }
    >
      <div className="px-4">
        <Labelled
          label="Name"
          hint="Open it again next week: only what is new or changed is made, each with the reason."
        >
          <input
            autoFocus
            className={fieldLook}
            value={name}
            maxLength={80}
            placeholder="Friday to the grade"
            onChange={(e) => setName(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && done()}
          />
        </Labelled>
      </div>
    </Sheet>
  );
}

function isSame(kept: Schemas["PlanDocument"], now: Schemas["PlanDocument"]): boolean {
  const plain = (document: Schemas["PlanDocument"]) =>
    JSON.stringify([
      document.of,
      document.handles ?? 0,
      document.timeline ?? null,
      document.of === "clips" ? (document.clips ?? []) : [],
      document.outputs.map((output) => [
        output.id,
        output.setting,
        output.folder,
        output.pattern,
        (output.changes ?? []).map((c) => [c.lines, c.setting ?? null, c.folder ?? null, c.pattern ?? null]),
      ]),
    ]);
  return plain(kept) === plain(now);
}

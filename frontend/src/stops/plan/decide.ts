import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useRefs } from "../../data/queries";
import { useNotice } from "../../ui/Notice";

export type Decision = Omit<Schemas["PlanChange"], "clips" | "alone" | "timelines" | "keeps_events">;
export type Decide = (decision: Decision) => void;
export type Where = { alone?: boolean; timelines?: number[]; keeps_events?: boolean };

export interface Asked {
  ids: number[];
  decision: Decision;
  preview: Schemas["Preview"];
}

/**
 * Decide on clips, at the revisions that are on screen, so that nobody else's change is overwritten unseen. Decisions
 * made quickly one after another wait for each other. A re-rate that would move uses on other timelines, or proxies,
 * is asked about first: `asked` holds it with its reach.
 */
export function useDecide(showId: number, ids: number[], alone: boolean) {
  const client = useQueryClient();
  const notice = useNotice();
  const [asked, setAsked] = useState<Asked | null>(null);
  const path = { show_id: showId };
  const refs = useRefs(showId);
  const act = useMutation({
    scope: { id: `decide-${showId}` },
    mutationFn: (given: { ids: number[]; decision: Decision } & Where) => {
      const { ids: wanted, decision, ...where } = given;
      const body = { clips: refs(wanted), ...decision, ...where } as Schemas["PlanChange"];
      return answer(api.POST("/api/shows/{show_id}/treatments", { params: { path }, body }));
    },
    onSuccess: (changed) => notice.say(changed.title),
    onError: (error) => notice.complain(error.message),
    // The next decision waits for the revisions that this one made; the rest is asked for by the live events.
    onSettled: (_, error) =>
      client.invalidateQueries({
        predicate: ({ queryKey }) => error !== null || ["ledger", "rows", "show"].includes(String(queryKey[0])),
      }),
  });
  const reach = useMutation({
    mutationFn: (given: { ids: number[]; decision: Decision }) => {
      const body = { clips: refs(given.ids), ...given.decision } as Schemas["PlanChange"];
      return answer(api.POST("/api/shows/{show_id}/preview", { params: { path }, body }));
    },
    onSuccess: (preview, given) => {
      const used = preview.uses.some((use) => use.events > 0);
      if (preview.elsewhere || preview.proxies || used) setAsked({ ...given, preview });
      else act.mutate(given);
    },
    onError: (error) => notice.complain(error.message),
  });
  const decide: Decide = (decision) => {
    if (!ids.length) return;
    const rerates = decision.set !== undefined && "reading" in decision.set;
    if (rerates && !alone) reach.mutate({ ids, decision });
    else act.mutate({ ids, decision, ...(alone ? { alone } : {}) });
  };
  const settle = (where: Where | null) => {
    if (asked && where) act.mutate({ ids: asked.ids, decision: asked.decision, ...where });
    setAsked(null);
  };
  return { decide, asked, settle, busy: act.isPending || reach.isPending };
}

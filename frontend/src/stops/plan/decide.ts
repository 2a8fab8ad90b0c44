import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../data/client";
import { useNotice } from "../../ui/Notice";

export type Decision = Omit<Schemas["TreatmentChange"], "clips">;
export type Decide = (decision: Decision) => void;

/**
 * Decide on the selected clips, at the revisions that are on screen, so that nobody else's change is
 * overwritten unseen. Decisions made quickly one after another wait for each other.
 */
export function useDecide(showId: number, selected: Schemas["ClipRow"][]): Decide {
  const client = useQueryClient();
  const notice = useNotice();
  const act = useMutation({
    scope: { id: `decide-${showId}` },
    mutationFn: ({ ids, decision }: { ids: number[]; decision: Decision }) => {
      const seen = client.getQueryData<Schemas["Ledger"]>(["ledger", showId]);
      const revisions = new Map(seen?.clips.map((row) => [row.id, row.revision]));
      const clips = ids.map((id) => ({ id, revision: revisions.get(id) ?? 0 }));
      return answer(
        api.POST("/api/shows/{show_id}/treatments", {
          params: { path: { show_id: showId } },
          body: { clips, ...decision },
        }),
      );
    },
    onSuccess: (changed) => notice.say(changed.title),
    onError: (error) => notice.complain(error.message),
    onSettled: () => client.invalidateQueries(),
  });
  return (decision) => {
    if (selected.length) act.mutate({ ids: selected.map((row) => row.id), decision });
  };
}

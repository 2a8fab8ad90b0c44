import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../../data/client";
import { useAct, useRefs } from "../../../data/queries";
import { Button, Waiting } from "../../../ui/parts";
import { Sheet } from "../../../ui/Sheet";
import { PreviewTable, UseSums } from "../PreviewTable";

/** What running recipes over a batch changes, clip by clip; all of it or what stays ticked is applied in one change. */
export function RunPreview(props: { showId: number; ids: number[]; recipe: number | null; close: () => void }) {
  const { showId, ids, recipe, close } = props;
  const [off, setOff] = useState(() => new Set<number>());
  const path = { show_id: showId };
  const refs = useRefs(showId);
  const preview = useQuery({
    queryKey: ["recipes", showId, "run", ids, recipe],
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/recipes/run/preview", {
          params: { path },
          body: { clips: refs(ids), recipe_id: recipe },
        }),
      ),
  });
  const left = ids.filter((id) => !off.has(id));
  const run = useAct(
    () =>
      answer(
        api.POST("/api/shows/{show_id}/recipes/run", {
          params: { path },
          body: { clips: refs(left), recipe_id: recipe },
        }),
      ),
    (made) => {
      close();
      return made.title;
    },
  );
  const here = preview.data?.uses.find((use) => use.planned_for);
  const count = Math.max(0, (preview.data?.clips ?? 0) - off.size);
  const tick = (id: number) => {
    const next = new Set(off);
    if (!next.delete(id)) next.add(id);
    setOff(next);
  };
  return (
    <Sheet
      open
      wide
      close={close}
      title={preview.data?.title ?? "Recipes"}
      foot={
        <>
          <Button onClick={close}>Cancel</Button>
          <Button weight="main" disabled={!count || run.isPending} onClick={() => run.mutate(undefined)} autoFocus>
            {count ? `Run on ${count} ${count === 1 ? "clip" : "clips"}` : "No changes"}
          </Button>
        </>
      }
    >
      {!preview.data || !here ? (
        <Waiting what="Calculating changes" why={preview.error} />
      ) : (
        <>
          <p className="px-4 pb-2">
            <UseSums use={here} />
            {preview.data.elsewhere > 0 && (
              <span className="text-[12.5px] text-soft">; on other timelines {preview.data.elsewhere} uses change</span>
            )}
          </p>
          <PreviewTable
            label="Changes by recipes"
            moves={here.moves}
            more={here.moved - here.moves.length}
            ticked={new Set(here.moves.map((move) => move.id).filter((id) => !off.has(id)))}
            tick={tick}
          />
        </>
      )}
    </Sheet>
  );
}

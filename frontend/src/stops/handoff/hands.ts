import { useRef, useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { inFiles } from "../../ui/words";

type Render = Schemas["RenderView"];
type Does = "pause" | "go-on" | "cancel" | "retry" | "urgent" | "normal" | "idle";

const DONE: Record<Does, string> = {
  pause: "paused; what is being made is finished",
  "go-on": "go on",
  cancel: "being stopped",
  retry: "queued again",
  urgent: "urgent now",
  normal: "of normal urgency",
  idle: "made when nothing else waits",
};
const URGENCY = { urgent: 1, normal: 0, idle: -1 };

/** What can be done by hand with the files of a queue: picked, moved by dragging or keys, paused, stopped, tried again. */
export function useHands(showId: number, rows: Render[]) {
  const [picked, setPicked] = useState<Set<number>>(new Set());
  const [dragged, drag] = useState<number | null>(null);
  const [over, hover] = useState<number | null>(null);
  const last = useRef<number | null>(null);
  const params = { params: { path: { show_id: showId } } };
  const act = useAct(
    async ({ does, ids }: { does: Does; ids: number[] | null }) => {
      const body = { ids };
      const made =
        does === "pause"
          ? await answer(api.POST("/api/shows/{show_id}/renders/pause", { ...params, body }))
          : does === "go-on"
            ? await answer(api.POST("/api/shows/{show_id}/renders/go-on", { ...params, body }))
            : does === "cancel"
              ? await answer(api.POST("/api/shows/{show_id}/renders/cancel", { ...params, body }))
              : does === "retry"
                ? await answer(api.POST("/api/shows/{show_id}/renders/retry", { ...params, body }))
                : await answer(
                    api.POST("/api/shows/{show_id}/renders/urgency", {
                      ...params,
                      body: { ...body, urgency: URGENCY[does] },
                    }),
                  );
      return { does, files: made.files };
    },
    ({ does, files }) => `${inFiles(files)} ${DONE[does]}.`,
  );
  const move = useAct(
    async (body: Schemas["MoveIn"]) => {
      await answer(api.POST("/api/shows/{show_id}/renders/move", { ...params, body }));
      return body.ids.length;
    },
    (count) => `${inFiles(count)} moved.`,
  );
  const waiting = rows.filter((row) => row.state === "waiting").map((row) => row.id);
  const withPicked = (id: number) => (picked.has(id) ? waiting.filter((one) => picked.has(one)) : [id]);
  const pick = (id: number, shift: boolean) => {
    const ids = rows.map((row) => row.id);
    const next = new Set(picked);
    const from = shift && last.current !== null ? ids.indexOf(last.current) : ids.indexOf(id);
    const to = ids.indexOf(id);
    for (const one of ids.slice(Math.min(from, to), Math.max(from, to) + 1))
      if (shift || !next.delete(one)) next.add(one);
    last.current = id;
    setPicked(next);
  };
  /** One place on or back in the order, together with what is picked beside it. */
  const step = (id: number, by: number) => {
    const ids = withPicked(id);
    const rest = waiting.filter((one) => !ids.includes(one));
    const at = waiting.slice(0, waiting.indexOf(ids[0] ?? id)).filter((one) => !ids.includes(one)).length;
    const place = Math.max(0, Math.min(rest.length, at + by));
    if (place !== at) move.mutate({ ids, before: rest[place] ?? null });
  };
  const drop = (before: number | null) => {
    if (dragged !== null && before !== null && before !== dragged) {
      const ids = withPicked(dragged);
      if (!ids.includes(before)) move.mutate({ ids, before });
    }
    drag(null);
    hover(null);
  };
  const some = rows.filter((row) => picked.has(row.id)).map((row) => row.id);
  return {
    picked: new Set(some),
    dragged,
    over,
    pick,
    step,
    drag,
    hover,
    drop,
    clear: () => setPicked(new Set()),
    does: (does: Does, ids: number[] | null = some) => act.mutate({ does, ids }),
    first: () => move.mutate({ ids: withPicked(some[0] ?? 0), before: waiting.find((id) => !picked.has(id)) ?? null }),
    chosen: rows.filter((row) => picked.has(row.id)),
  };
}

export type Hands = ReturnType<typeof useHands>;

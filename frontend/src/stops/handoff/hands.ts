import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { usePicked } from "../../ui/usePicked";
import { inFiles } from "../../ui/words";

type Render = Schemas["RenderView"];

type Path = { params: { path: { show_id: number } } };
type Body = { ids: number[] | null };

const urgency = (value: number) => (path: Path, body: Body) =>
  answer(api.POST("/api/shows/{show_id}/renders/urgency", { ...path, body: { ...body, urgency: value } }));

/** What each asks of the server, and what is said of the files it was done to. */
const DOES = {
  pause: {
    ask: (path: Path, body: Body) => answer(api.POST("/api/shows/{show_id}/renders/pause", { ...path, body })),
    said: "paused; what is being made is finished",
  },
  "go-on": {
    ask: (path: Path, body: Body) => answer(api.POST("/api/shows/{show_id}/renders/go-on", { ...path, body })),
    said: "go on",
  },
  cancel: {
    ask: (path: Path, body: Body) => answer(api.POST("/api/shows/{show_id}/renders/cancel", { ...path, body })),
    said: "being stopped",
  },
  retry: {
    ask: (path: Path, body: Body) => answer(api.POST("/api/shows/{show_id}/renders/retry", { ...path, body })),
    said: "queued again",
  },
  urgent: { ask: urgency(1), said: "urgent now" },
  normal: { ask: urgency(0), said: "of normal urgency" },
  idle: { ask: urgency(-1), said: "made when nothing else waits" },
};
type Does = keyof typeof DOES;

/** What can be done by hand with the files of a queue: picked, moved by dragging or keys, paused, stopped, tried again. */
export function useHands(showId: number, rows: Render[]) {
  const { picked, pick, pickNone } = usePicked(rows.map((row) => row.id));
  const [dragged, drag] = useState<number | null>(null);
  const [over, hover] = useState<number | null>(null);
  const params = { params: { path: { show_id: showId } } };
  const act = useAct(
    async ({ does, ids }: { does: Does; ids: number[] | null }) => {
      const { files } = await DOES[does].ask(params, { ids });
      return { does, files };
    },
    ({ does, files }) => `${inFiles(files)} ${DOES[does].said}.`,
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
    clear: pickNone,
    does: (does: Does, ids: number[] | null = some) => act.mutate({ does, ids }),
    first: () => move.mutate({ ids: withPicked(some[0] ?? 0), before: waiting.find((id) => !picked.has(id)) ?? null }),
    chosen: rows.filter((row) => picked.has(row.id)),
  };
}

export type Hands = ReturnType<typeof useHands>;

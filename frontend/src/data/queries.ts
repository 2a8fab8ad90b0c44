import {
  type Query,
  type QueryClient,
  keepPreviousData,
  useMutation,
  useQueries,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { useParams } from "react-router";
import type { paths } from "../api/schema";
import { useNotice } from "../ui/Notice";
import { answer, api, type Schemas } from "./client";

/** The show that the address names. */
export function useShowId(): number {
  return Number(useParams().showId);
}

export function useShows() {
  return useQuery({ queryKey: ["shows"], queryFn: () => answer(api.GET("/api/shows")) });
}

export function useShow(showId: number) {
  return useQuery({
    queryKey: ["show", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}", { params: { path: { show_id: showId } } })),
  });
}

export function useDeliveries(showId: number) {
  return useQuery({
    queryKey: ["deliveries", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/deliveries", { params: { path: { show_id: showId } } })),
  });
}

export type LedgerAsked = NonNullable<paths["/api/shows/{show_id}/ledger"]["get"]["parameters"]["query"]>;

/** Which clips a ledger holds, in order; without `asked`, all of them as they came in. */
export function useLedger(showId: number, asked: LedgerAsked = {}) {
  return useQuery({
    queryKey: ["ledger", showId, asked],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(api.GET("/api/shows/{show_id}/ledger", { params: { path: { show_id: showId }, query: asked } })),
  });
}

/** Clips at the revisions that are on screen, as every change names them, so that nobody's is overwritten unseen. */
export function useRefs(showId: number): (ids: number[]) => Schemas["ClipRef"][] {
  const client = useQueryClient();
  return (ids) => {
    const seen = client.getQueryData<Schemas["Ledger"]>(["ledger", showId, {}]);
    const revisions = new Map(seen?.ids.map((id, i) => [id, seen.revisions[i] ?? 0]));
    return ids.map((id) => ({ id, revision: revisions.get(id) ?? 0 }));
  };
}

const CHUNK = 60;

/**
 * The rows of a ledger that are on screen, by id. What was seen before stays until it is there anew, so that nothing
 * flickers.
 */
export function useRows(showId: number, ids: number[], first: number, last: number, beside: number | null = null) {
  return useChunks(["rows", showId, beside], ids, first, last, (chunk) =>
    answer(
      api.POST("/api/shows/{show_id}/ledger/rows", {
        params: { path: { show_id: showId } },
        body: { ids: chunk, beside },
      }),
    ),
  );
}

/** What is asked for by id in chunks, from one place in a list to another; what was there before stays until it comes. */
export function useChunks<Row extends { id: number }>(
  key: unknown[],
  ids: number[],
  first: number,
  last: number,
  ask: (ids: number[]) => Promise<Row[]>,
): (id: number) => Row | undefined {
  const chunks = [];
  for (let at = Math.max(0, first - (first % CHUNK)); at <= last && at < ids.length; at += CHUNK)
    chunks.push(ids.slice(at, at + CHUNK));
  const client = useQueryClient();
  const single = (id: number) => ["single", ...key, id];
  const found = useQueries({
    queries: chunks.map((chunk) => ({
      queryKey: [...key, chunk],
      queryFn: async () => {
        const rows = await ask(chunk);
        rows.forEach((row) => client.setQueryData(single(row.id), row));
        return rows;
      },
    })),
  });
  const fresh = new Map(found.flatMap((one) => one.data ?? []).map((row) => [row.id, row]));
  return (id) => fresh.get(id) ?? client.getQueryData<Row>(single(id)) ?? undefined;
}

/** One row of the ledger. */
export function useRow(showId: number, clipId: number | undefined) {
  const ledger = useLedger(showId).data;
  return useQuery({
    queryKey: ["rows", showId, "one", clipId],
    enabled: clipId !== undefined && ledger?.ids.includes(clipId) !== false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/ledger/{clip_id}", {
          params: { path: { show_id: showId, clip_id: clipId ?? 0 } },
        }),
      ),
  });
}

export function useRecipes(showId: number) {
  return useQuery({
    queryKey: ["recipes", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/recipes", { params: { path: { show_id: showId } } })),
  });
}

export function useHouse(showId: number) {
  return useQuery({
    queryKey: ["house", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/house", { params: { path: { show_id: showId } } })),
  });
}

export function useSheets(showId: number) {
  return useQuery({
    queryKey: ["sheets", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/sheets", { params: { path: { show_id: showId } } })),
  });
}

export function useReckoning(showId: number, ids: number[], onlyTotals: boolean) {
  const ledger = useLedger(showId).data;
  const there = useMemo(() => ledger && new Set(ledger.ids), [ledger]);
  return useQuery({
    queryKey: ["reckoning", showId, ids, onlyTotals],
    enabled: ids.length > 0 && (!there || ids.every((id) => there.has(id))),
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/reckoning", {
          params: { path: { show_id: showId } },
          body: { clip_ids: ids, only_totals: onlyTotals },
        }),
      ),
  });
}

export function useRenders(showId: number, count: number) {
  return useQuery({
    queryKey: ["renders", showId, "files", count],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(api.GET("/api/shows/{show_id}/renders", { params: { path: { show_id: showId }, query: { count } } })),
  });
}

export function useQueue(showId: number) {
  return useQuery({
    queryKey: ["renders", showId, "queue"],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/renders/queue", { params: { path: { show_id: showId } } })),
  });
}

export function useHandoffChoices(showId: number) {
  return useQuery({
    queryKey: ["handoff", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/handoff", { params: { path: { show_id: showId } } })),
  });
}

/** What has to be asked again when a table of the database changed. */
const CUTS = ["cuts", "cut", "cut-rulers", "cut-look", "cut-beats"];
const PLANNED = ["ledger", "rows", "reckoning", "preview", "recipes", "bench", ...CUTS];
const TOUCHES: Record<string, string[]> = {
  event: [...CUTS, "rows", "preview"],
  timeline_marker: CUTS,
  package: ["packages", "package"],
  output_setting: ["handoff", "settings", "preview"],
  handoff_plan: ["plans"],
  handoff_run: ["runs"],
  handoff_report: ["runs"],
  errand: ["errands"],
  hook: ["hook"],
  hook_call: ["hook"],
  show: ["shows", "show", "house", ...PLANNED],
  timeline: ["show", ...PLANNED],
  word: ["evidence", "evidence-rows", ...PLANNED],
  picture: ["evidence", "evidence-rows", "dossier", "deliveries", ...PLANNED],
  log_report: ["logs", "evidence", "evidence-rows", ...PLANNED],
  verdict_change: ["verdict-changes"],
  delivery: ["deliveries", "evidence", "evidence-rows", "logs", "house", ...PLANNED],
  clip: ["deliveries", "evidence", "evidence-rows", ...PLANNED],
  clip_facts: ["deliveries", "evidence", "evidence-rows", "dossier", "logs", ...PLANNED],
  treatment: PLANNED,
  clip_use: [...CUTS, ...PLANNED],
  clip_tag: PLANNED,
  tag: PLANNED,
  recipe: PLANNED,
  marker: ["bench-markers"],
  change: ["show"],
  render: ["renders", "preview", "ledger", "rows", "handoff"],
  sheet: ["sheets"],
};

/** What is asked of some clips only: after the lists, which tell whether these are still there. */
const OF_SOME = new Set(["dossier", "reckoning", "preview", "bench", "bench-markers"]);

/**
 * Ask again for all that a predicate names. What is being asked for the first time would only be waited for, with an
 * answer that may be older than the change: it is asked for again once that is there. What an edit would do belongs to
 * the version of its cut, and is asked for with the next one.
 */
function askAgain(client: QueryClient, named: (query: Query) => boolean): Promise<void> {
  const predicate = (query: Query) => named(query) && query.queryKey[0] !== "cut-effect";
  const first = client
    .getQueryCache()
    .findAll({ predicate, fetchStatus: "fetching" })
    .filter((query) => query.state.data === undefined);
  const ofSome = ({ queryKey }: Query) => OF_SOME.has(String(queryKey[0])) || queryKey[2] === "one";
  return client
    .invalidateQueries({ predicate: (query) => predicate(query) && !ofSome(query) })
    .then(() => new Promise((shown) => setTimeout(shown)))
    .then(() => client.invalidateQueries({ predicate: (query) => predicate(query) && ofSome(query) }))
    .then(() => client.invalidateQueries({ predicate: (query) => first.includes(query) }));
}

/** Listen to live events for as long as the page is open, and ask again for what changed. */
export function useLiveEvents(): void {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource("/api/events");
    source.addEventListener("changed", (event) => {
      const names = (event as MessageEvent<string>).data.split(" ");
      const keys = names.includes("everything") ? null : new Set(names.flatMap((name) => TOUCHES[name] ?? []));
      void askAgain(client, (query) => keys === null || keys.has(String(query.queryKey[0])));
    });
    return () => source.close();
  }, [client]);
}

/** A request that changes something; what it says, good or bad, becomes a notice. */
export function useAct<Given, Got>(
  act: (given: Given) => Promise<Got>,
  done?: (got: Got, given: Given) => string | null,
) {
  const client = useQueryClient();
  const notice = useNotice();
  return useMutation({
    mutationFn: act,
    onSuccess: (got, given) => {
      const sentence = done?.(got, given);
      if (sentence) notice.say(sentence);
    },
    onError: (error) => notice.complain(error.message),
    onSettled: () => askAgain(client, () => true),
  });
}

let lastStep: Promise<unknown> = Promise.resolve();

/**
 * Undo and redo of the show. Whatever was asked for before is done first, so that what is taken back is the newest
 * change, however quickly the keys follow each other.
 */
export function useUndo(showId: number) {
  const client = useQueryClient();
  const send = (way: "undo" | "redo") => (change: Schemas["ChangeView"]) =>
    answer(
      api.POST(way === "undo" ? "/api/shows/{show_id}/undo/{change_id}" : "/api/shows/{show_id}/redo/{change_id}", {
        params: { path: { show_id: showId, change_id: change.id } },
      }),
    );
  const act = {
    undo: useAct(send("undo"), (_, change) => `Undone: ${change.title}`),
    redo: useAct(send("redo"), (_, change) => `Done again: ${change.title}`),
  };
  const step = (way: "undo" | "redo") => () => {
    lastStep = lastStep.then(async () => {
      await nothingUnderWay(client);
      const change = client.getQueryData<Schemas["ShowView"]>(["show", showId])?.[way];
      if (change) await act[way].mutateAsync(change).catch(() => null);
    });
  };
  return { undo: step("undo"), redo: step("redo") };
}

function nothingUnderWay(client: QueryClient): Promise<void> {
  return new Promise((resolve) => {
    if (client.isMutating() === 0) return resolve();
    const stop = client.getMutationCache().subscribe(() => {
      if (client.isMutating() > 0) return;
      stop();
      resolve();
    });
  });
}

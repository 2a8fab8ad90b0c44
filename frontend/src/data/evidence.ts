import { useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "./client";
import { useAct, useChunks } from "./queries";

export type EvidenceLine = Schemas["EvidenceLine"];
export type EvidenceRow = Schemas["EvidenceRow"];
export type Question = Schemas["Question"];

/* What Intake asks for, and how it settles what it asked. */

export function useEvidence(showId: number) {
  return useQuery({
    queryKey: ["evidence", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/evidence", { params: { path: { show_id: showId } } })),
  });
}

/** The evidence of the clips from one place in a list to another, asked for in chunks. */
export function useEvidenceRows(showId: number, ids: number[], first: number, last: number) {
  return useChunks(["evidence-rows", showId], ids, first, last, (chunk) =>
    answer(
      api.POST("/api/shows/{show_id}/evidence/rows", { params: { path: { show_id: showId } }, body: { ids: chunk } }),
    ),
  );
}

export function useDossier(showId: number, clipId: number) {
  return useQuery({
    queryKey: ["dossier", showId, clipId],
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/clips/{clip_id}/evidence", {
          params: { path: { show_id: showId, clip_id: clipId } },
        }),
      ),
  });
}

export function useLogs(showId: number) {
  return useQuery({
    queryKey: ["logs", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/logs", { params: { path: { show_id: showId } } })),
  });
}

export function useVerdictChanges(showId: number) {
  return useQuery({
    queryKey: ["verdict-changes", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/verdict-changes", { params: { path: { show_id: showId } } })),
  });
}

export function useGauges() {
  return useQuery({ queryKey: ["gauges"], queryFn: () => answer(api.GET("/api/film/gauges")), staleTime: Infinity });
}

type Seen = Schemas["ClipRef"];
const refs = (rows: Seen[]) => rows.map(({ id, revision }) => ({ id, revision }));

/** Confirm, overrule and withdraw; each is one change that undo names. */
export function useSettling(showId: number) {
  const params = { params: { path: { show_id: showId } } };
  const said = (changed: Schemas["ChangedView"]) => changed.title;
  return {
    settle: useAct(
      (given: { rows: Seen[]; question: Question; value?: string; reason?: string }) =>
        answer(
          api.POST("/api/shows/{show_id}/words", {
            ...params,
            body: {
              clips: refs(given.rows),
              question: given.question,
              value: given.value ?? null,
              reason: given.reason ?? "",
            },
          }),
        ),
      said,
    ),
    confirmAll: useAct(
      (rows: Seen[]) =>
        answer(api.POST("/api/shows/{show_id}/words/confirm", { ...params, body: { clips: refs(rows) } })),
      said,
    ),
    withdraw: useAct(
      (given: { rows: Seen[]; question: Question }) =>
        answer(
          api.POST("/api/shows/{show_id}/words/withdraw", {
            ...params,
            body: { clips: refs(given.rows), question: given.question },
          }),
        ),
      said,
    ),
  };
}

export function useLooking(showId: number) {
  const params = { params: { path: { show_id: showId } } };
  return {
    whole: useAct(
      (clipIds: number[]) =>
        answer(api.POST("/api/shows/{show_id}/looks", { ...params, body: { clip_ids: clipIds, whole: true } })),
      (_, ids) => `Looking at every frame of ${ids.length === 1 ? "the clip" : `${ids.length} clips`}.`,
    ),
    again: useAct(
      (clipIds: number[]) =>
        answer(api.POST("/api/shows/{show_id}/looks/again", { ...params, body: { clip_ids: clipIds, whole: false } })),
      (_, ids) => `Looking again at ${ids.length === 1 ? "the clip" : `${ids.length} clips`}; what is decided stays.`,
    ),
    stop: useAct((clipIds: number[]) =>
      answer(api.POST("/api/shows/{show_id}/looks/stop", { ...params, body: { clip_ids: clipIds, whole: true } })),
    ),
  };
}

export function frameAddress(showId: number, clipId: number, frame: number, width: number, field?: string): string {
  const half = field ? `&field=${field}` : "";
  return `/api/shows/${showId}/clips/${clipId}/frames/${frame}.jpg?width=${width}${half}`;
}

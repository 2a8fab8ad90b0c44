import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { useParams } from "react-router";
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

export function useLedger(showId: number) {
  return useQuery({
    queryKey: ["ledger", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/ledger", { params: { path: { show_id: showId } } })),
  });
}

export function useReckoning(showId: number, ids: number[]) {
  return useQuery({
    queryKey: ["reckoning", showId, ids],
    enabled: ids.length > 0,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/reckoning", { params: { path: { show_id: showId } }, body: { clip_ids: ids } }),
      ),
  });
}

export function useRenders(showId: number) {
  return useQuery({
    queryKey: ["renders", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/renders", { params: { path: { show_id: showId } } })),
  });
}

export function useHandoffChoices() {
  return useQuery({ queryKey: ["handoff"], queryFn: () => answer(api.GET("/api/handoff")) });
}

export function usePreview(showId: number, asked: Schemas["MakeIn"]) {
  return useQuery({
    queryKey: ["preview", showId, asked],
    enabled: asked.clip_ids.length > 0,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(api.POST("/api/shows/{show_id}/handoff/preview", { params: { path: { show_id: showId } }, body: asked })),
  });
}

/** What has to be asked again when a table of the database changed. */
const TOUCHES: Record<string, string[]> = {
  show: ["shows", "show", "ledger", "reckoning", "preview"],
  word: ["evidence", "ledger", "reckoning", "preview"],
  picture: ["evidence", "dossier", "deliveries", "ledger", "reckoning"],
  log_report: ["logs", "evidence", "ledger", "reckoning", "preview"],
  verdict_change: ["verdict-changes"],
  timeline: ["show", "ledger", "reckoning", "preview"],
  delivery: ["deliveries", "evidence", "logs", "ledger", "preview"],
  clip: ["deliveries", "evidence", "ledger", "reckoning", "preview"],
  clip_facts: ["deliveries", "evidence", "dossier", "logs", "ledger", "reckoning", "preview"],
  treatment: ["ledger", "reckoning", "preview"],
  change: ["show"],
  render: ["renders", "preview"],
};

/** Listen to live events for as long as the page is open, and ask again for what changed. */
export function useLiveEvents(): void {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource("/api/events");
    source.addEventListener("changed", (event) => {
      const names = (event as MessageEvent<string>).data.split(" ");
      const keys = names.includes("everything") ? null : new Set(names.flatMap((name) => TOUCHES[name] ?? []));
      void client.invalidateQueries({ predicate: (query) => keys === null || keys.has(String(query.queryKey[0])) });
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
    onSettled: () => client.invalidateQueries(),
  });
}

/** Undo and redo of the show, by the change that is next. */
export function useUndo(showId: number) {
  const step = (way: "undo" | "redo") => (change: Schemas["ChangeView"]) =>
    answer(
      api.POST(way === "undo" ? "/api/shows/{show_id}/undo/{change_id}" : "/api/shows/{show_id}/redo/{change_id}", {
        params: { path: { show_id: showId, change_id: change.id } },
      }),
    );
  return {
    undo: useAct(step("undo"), (_, change) => `Undone: ${change.title}`),
    redo: useAct(step("redo"), (_, change) => `Done again: ${change.title}`),
  };
}

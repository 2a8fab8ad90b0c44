import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../data/client";
import { useNotice } from "../../ui/Notice";
import { benchKey, type SideAsked } from "./data";

/** What can be sought with a button of its own. */
export const SPOTS = ["difference", "drop", "repeat", "hiccup", "cut"] as const;
export type Seek = (what: Schemas["Spot"], step: 1 | -1) => Promise<void>;

/** Seek a spot of side A from a frame on, or where the sides differ. */
export function useSeek(a: string, b: string, frame: number, go: (frame: number) => void): Seek {
  const notice = useNotice();
  return async (what, step) => {
    try {
      const found = await answer(
        api.GET("/api/bench/{token}/spot", {
          params: { path: { token: a }, query: { what, frame, step, other: b } },
        }),
      );
      if (found.frame !== null) go(found.frame);
      else notice.say(`There is no ${what} ${step > 0 ? "after" : "before"} frame ${frame}.`);
    } catch (error) {
      notice.complain(error instanceof Error ? error.message : "Nothing found.");
    }
  };
}

/**
 * Decide for the clip on the Bench: keep side B, or trim. Decisions made quickly one after another wait for each other,
 * and each names the revision that the one before it made.
 */
export function useBenchDecisions(
  showId: number,
  bench: Schemas["BenchView"],
  asked: () => SideAsked,
  kept: () => void,
) {
  const client = useQueryClient();
  const notice = useNotice();
  const queryKey = benchKey(showId, bench.id);
  const decide = useMutation({
    scope: { id: `decide-${showId}` },
    mutationFn: ({ change }: { change: SideAsked; keeps: boolean }) => {
      const { revision } = client.getQueryData<Schemas["BenchView"]>(queryKey) ?? bench;
      return answer(
        api.POST("/api/shows/{show_id}/treatments", {
          params: { path: { show_id: showId } },
          body: { ...change, clips: [{ id: bench.id, revision }] } as Schemas["PlanChange"],
        }),
      );
    },
    onSuccess: (made, { change, keeps }) => {
      notice.say(made.title);
      if (keeps && JSON.stringify(asked()) === JSON.stringify(change)) kept();
    },
    onError: (error) => notice.complain(error.message),
    onSettled: () => {
      void client.invalidateQueries();
      return client.refetchQueries({ queryKey, exact: true }, { cancelRefetch: false });
    },
  });
  return {
    deciding: decide.isPending,
    keep: () => {
      const change = asked();
      if (Object.keys(change).length > 0) decide.mutate({ change, keeps: true });
    },
    trim: (first: number, last: number) => {
      if (first > last) {
        notice.complain(`The in point ${first} would be after the out point ${last}.`);
        return;
      }
      const whole = first === 0 && last === bench.frames - 1;
      decide.mutate({ change: { set: { span: whole ? "whole" : `${first}-${last}` } }, keeps: false });
    },
  };
}

/**
 * Writes a value into the address: into what it says by now, not what it said when this was drawn, since the frame is
 * written with a delay.
 */
export function useAddress(): (key: string, value: string | null) => void {
  const [, setSearch] = useSearchParams();
  return useCallback(
    (key, value) => {
      const now = new URLSearchParams(window.location.search);
      if ((now.get(key) ?? null) === value) return;
      if (value) now.set(key, value);
      else now.delete(key);
      setSearch(now, { replace: true });
    },
    [setSearch],
  );
}

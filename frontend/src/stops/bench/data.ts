import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../data/client";

export type SideAsked = Schemas["SideIn"];
export type Side = Schemas["SideView"];
export type Shown = Schemas["FrameView"];

/** What the address says of side B. */
export const sideAsked = (search: URLSearchParams) => JSON.parse(search.get("b") ?? "{}") as SideAsked;

export const benchKey = (showId: number, clipId: number) => ["bench", showId, clipId];

export function useBench(showId: number, clipId: number) {
  return useQuery({
    queryKey: benchKey(showId, clipId),
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/bench/{clip_id}", { params: { path: { show_id: showId, clip_id: clipId } } }),
      ),
  });
}

/** A side worked out by the server; its pictures go by the token in it. */
export function useSide(showId: number, clipId: number, asked: SideAsked) {
  return useQuery({
    queryKey: [...benchKey(showId, clipId), "side", asked],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/bench/{clip_id}/side", {
          params: { path: { show_id: showId, clip_id: clipId } },
          body: asked,
        }),
      ),
  });
}

/** What a frame of a side shows, as it is asked for. */
export const shownQuery = (token: string, frame: number) => ({
  queryKey: ["bench-shown", token, frame],
  staleTime: Infinity,
  queryFn: async () => {
    const found = await answer(
      api.GET("/api/bench/{token}/shown", { params: { path: { token }, query: { first: frame, count: 1 } } }),
    );
    return found[0] ?? null;
  },
});

/** What a frame of a side shows; until that is there, what was shown before it. */
export function useShown(token: string, frame: number) {
  return useQuery({ ...shownQuery(token, frame), placeholderData: keepPreviousData });
}

export function useStrip(token: string, first: number, last: number, columns: number) {
  return useQuery({
    queryKey: ["bench-strip", token, first, last, columns],
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/bench/{token}/strip", {
          params: { path: { token }, query: { first, last, columns } },
        }),
      ),
  });
}

export function useChanges(token: string, first: number, count: number) {
  return useQuery({
    queryKey: ["bench-changes", token, first, count],
    enabled: count > 0,
    staleTime: Infinity,
    queryFn: () =>
      answer(api.GET("/api/bench/{token}/changes", { params: { path: { token }, query: { first, count } } })),
  });
}

/** How loud a window is; asked again while its file is still being read. */
export function usePeaks(
  token: string,
  stream: number,
  first: number,
  last: number,
  columns: number,
  enabled: boolean,
) {
  return useQuery({
    queryKey: ["bench-peaks", token, stream, first, last, columns],
    enabled,
    staleTime: Infinity,
    placeholderData: enabled ? keepPreviousData : undefined,
    refetchInterval: (query) => ((query.state.data?.percent ?? 100) < 100 ? 500 : false),
    queryFn: () =>
      answer(
        api.GET("/api/bench/{token}/peaks", { params: { path: { token }, query: { first, last, columns, stream } } }),
      ),
  });
}

export const pictureUrl = (token: string, frame: number, size: string, part: string) =>
  `/api/bench/${token}/frames/${frame}?size=${size}&part=${part}`;

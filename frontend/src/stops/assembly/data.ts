import { keepPreviousData, useIsMutating, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useNotice } from "../../ui/Notice";
import type { Heard } from "../../ui/sound";

export type Cut = Schemas["CutView"];
export type CutEvent = Schemas["EventView"];
export type Asked = Partial<Schemas["EditIn"]> & Pick<Schemas["EditIn"], "edit">;

export function useCuts(showId: number) {
  return useQuery({
    queryKey: ["cuts", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/cuts", { params: { path: { show_id: showId } } })),
  });
}

export function useCut(showId: number, timelineId: number) {
  return useQuery({
    queryKey: ["cut", showId, timelineId],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/cuts/{timeline_id}", {
          params: { path: { show_id: showId, timeline_id: timelineId } },
        }),
      ),
  });
}

/** How source frames pass under a window of the timeline. */
export function useRulers(showId: number, cut: Cut, first: number, frames: number, pixels: number) {
  return useQuery({
    queryKey: ["cut-rulers", showId, cut.id, cut.shown, first, frames, pixels],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/cuts/{timeline_id}/rulers", {
          params: { path: { show_id: showId, timeline_id: cut.id }, query: { first, frames, pixels } },
        }),
      ),
  });
}

/** What a timeline frame shows. */
export function useLook(showId: number, cut: Cut, frame: number) {
  return useQuery({
    queryKey: ["cut-look", showId, cut.id, cut.shown, frame],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/cuts/{timeline_id}/frames/{number}", {
          params: { path: { show_id: showId, timeline_id: cut.id, number: frame } },
        }),
      ),
  });
}

/** The frames on which music strikes. */
export function useBeats(showId: number, cut: Cut): number[] {
  const told = useQuery({
    queryKey: ["cut-beats", showId, cut.id, cut.shown],
    enabled: cut.sounds,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/cuts/{timeline_id}/beats", {
          params: { path: { show_id: showId, timeline_id: cut.id } },
        }),
      ),
  });
  return useMemo(() => (cut.sounds ? (told.data ?? []) : []), [cut.sounds, told.data]);
}

export function pictureUrl(showId: number, cut: Cut, frame: number, size: "draft" | "final"): string {
  return `/api/shows/${showId}/cuts/${cut.id}/pictures/${frame}?shown=${cut.shown}&size=${size}`;
}

/** What is heard of a timeline; nothing where it has no sound. */
export function heardOf(showId: number, cut: Cut): Heard[] {
  if (!cut.sounds || !cut.length.frames) return [];
  const path = `/api/shows/${showId}/cuts/${cut.id}/sound`;
  return [
    {
      name: `${cut.id} ${cut.shown}`,
      seconds: cut.frame_seconds,
      last: cut.length.frames - 1,
      url: (first, count) => `${path}?first=${first}&count=${count}&shown=${cut.shown}`,
    },
  ];
}

const send = (showId: number, timelineId: number, version: string, asked: Asked, preview: boolean) =>
  answer(
    api.POST("/api/shows/{show_id}/cuts/{timeline_id}/edits", {
      params: { path: { show_id: showId, timeline_id: timelineId } },
      body: { ...asked, version, preview } as Schemas["EditIn"],
    }),
  );

/** Of more events than this, a change is shown as it is told, before it is kept: that takes longer. */
const MANY = 500;

function placed(cut: Cut, places: Schemas["PlacesView"]): Cut {
  const at = new Map(places.events.map((id, i) => [id, i]));
  const gone = new Set(places.gone);
  const events = cut.events
    .filter((event) => !gone.has(event.id))
    .map((event) => {
      const i = at.get(event.id);
      if (i === undefined) return event;
      return {
        ...event,
        record_in: places.record_in[i] ?? event.record_in,
        length: places.length[i] ?? event.length,
        timecode_in: places.timecode_in[i] ?? event.timecode_in,
      };
    });
  return { ...cut, events };
}

/** Changes of the events, one after the other, each at the version that the one before made. */
export function useEdit(showId: number, cut: Cut, done: (made: Schemas["EffectView"], asked: Asked) => void) {
  const client = useQueryClient();
  const notice = useNotice();
  const queryKey = ["cut", showId, cut.id];
  return useMutation({
    scope: { id: `cut-${cut.id}` },
    mutationKey: ["cut-edit", cut.id],
    mutationFn: async (asked: Asked) => {
      const now = client.getQueryData<Cut>(queryKey) ?? cut;
      if (now.events.length > MANY) {
        const { places } = await send(showId, cut.id, now.version, { ...asked, places: true }, true);
        if (places) client.setQueryData<Cut>(queryKey, (shown) => shown && placed(shown, places));
      }
      return send(showId, cut.id, now.version, asked, false);
    },
    onSuccess: (made, asked) => {
      notice.say([made.title, ...made.words, ...made.runs_out].join("; "));
      done(made, asked);
    },
    onError: (error) => notice.complain(error.message),
    onSettled: () => {
      void client.invalidateQueries({
        predicate: ({ queryKey: [name] }) => name !== "cut" && name !== "cut-effect",
      });
      return client.refetchQueries({ queryKey, exact: true }, { cancelRefetch: false });
    },
  });
}

/**
 * What a change would do, told before it is made; asked for once it rests for a moment, at the version that is there
 * then: not while one is being made.
 */
export function useEffectOf(showId: number, cut: Cut, asked: Asked | null) {
  const key = JSON.stringify(asked);
  const [rested, setRested] = useState(key);
  useEffect(() => {
    const timer = setTimeout(() => setRested(key), 120);
    return () => clearTimeout(timer);
  }, [key]);
  const changing = useIsMutating({ mutationKey: ["cut-edit", cut.id] }) > 0;
  const told = useQuery({
    queryKey: ["cut-effect", showId, cut.id, cut.version, cut.shown, rested],
    enabled: rested !== "null" && rested === key && !changing,
    retry: false,
    staleTime: Infinity,
    queryFn: () => send(showId, cut.id, cut.version, JSON.parse(rested) as Asked, true),
  });
  return asked && rested === key ? told : null;
}

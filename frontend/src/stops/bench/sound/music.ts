import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { answer, api, type Schemas } from "../../../data/client";
import { useAct } from "../../../data/queries";
import { useNotice } from "../../../ui/Notice";
import type { Side, SideAsked } from "../data";

type MusicAsked = Schemas["MusicEdit"];
type MarkerAsked = Schemas["MarkerEdit"];
type BeatsAsked = Schemas["BeatEdit"];
/** A moment of the action that was found, or a marker that somebody put. */
export interface Moment {
  frame: number;
  comes: number;
  kind: Schemas["ActionView"]["kind"] | "marker";
  name?: string;
}

/** The music beside a side, its beats, moments of the action and markers, and what can be done with them. Edits of which
 *  music and where land on side B; beats belong to the music. */
export interface MusicWork {
  has: boolean;
  /** Which of the side's sounds the music is. */
  stream: number;
  music: Schemas["BeatsView"] | undefined;
  choices: Schemas["MusicChoice"][];
  /** Moments of the action, and markers, in order. */
  moments: Moment[];
  /** Whether the clip has markers here. */
  marked: boolean;
  /** Put a marker at a source frame, or take it away. */
  mark: (edit: Partial<MarkerAsked> & Pick<MarkerAsked, "frame">) => void;
  /** What is said where there is no moment to be shown. */
  noMoment: string;
  /** The moment that is looked at, by its source frame. */
  chosen: Moment | null;
  choose: (moment: Moment | null) => void;
  edit: (edit: Partial<MusicAsked> & Pick<MusicAsked, "do">) => Promise<void>;
  beats: (edit: Partial<BeatsAsked> & Pick<BeatsAsked, "do">) => void;
  /** Note a beat at a timeline frame, exact; those that are noted are put down together. */
  tap: (frame: number) => void;
  putTaps: () => void;
  taps: number;
}

export function useMusic(given: {
  showId: number;
  clipId: number;
  side: Side;
  wanted: boolean;
  asked: () => SideAsked;
  setB: (asked: SideAsked) => void;
}): MusicWork {
  const { showId, clipId, side, wanted, asked, setB } = given;
  const notice = useNotice();
  const queue = useRef(Promise.resolve());
  const path = { show_id: showId, clip_id: clipId };
  const has = (side.parts.music ?? "none") !== "none";
  const music = useQuery({
    queryKey: ["bench-beats", showId, clipId, side.token],
    enabled: has,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/bench/{clip_id}/beats", {
          params: { path },
          body: asked() as Schemas["TreatmentIn"],
        }),
      ),
  });
  const choices = useQuery({
    queryKey: ["music", showId],
    enabled: wanted,
    queryFn: () => answer(api.GET("/api/shows/{show_id}/music", { params: { path: { show_id: showId } } })),
  });
  const moments = useQuery({
    queryKey: ["bench-moments", side.token],
    enabled: wanted,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    queryFn: () => answer(api.GET("/api/bench/{token}/moments", { params: { path: { token: side.token } } })),
  });
  const markers = useQuery({
    queryKey: ["bench-markers", showId, clipId, side.token],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/shows/{show_id}/bench/{clip_id}/markers", {
          params: { path, query: { token: side.token } },
        }),
      ),
  });
  const mark = useAct(
    (edit: Partial<MarkerAsked> & Pick<MarkerAsked, "frame">) =>
      answer(
        api.POST("/api/shows/{show_id}/bench/{clip_id}/markers", {
          params: { path },
          body: { name: "", away: false, ...edit },
        }),
      ),
    (made) => made.title,
  );
  const [looked, choose] = useState<Moment | null>(null);
  const taps = useRef<number[]>([]);
  const [tapped, setTapped] = useState(0);
  const beats = useAct((edit: Partial<BeatsAsked> & Pick<BeatsAsked, "do">) =>
    answer(
      api.POST("/api/shows/{show_id}/bench/{clip_id}/beats/edit", {
        params: { path },
        body: { frame: 0, to: 0, taps: [], ...edit, side: asked() as Schemas["TreatmentIn"] },
      }),
    ),
  );
  const marked = (markers.data ?? []).map((one): Moment => ({ ...one, kind: "marker" }));
  const found = [...(moments.data ?? []), ...marked].sort((a, b) => a.comes - b.comes);
  return {
    has,
    stream: Math.max(0, side.sounds.length - 1),
    music: has ? music.data : undefined,
    choices: choices.data ?? [],
    moments: found,
    marked: marked.length > 0,
    mark: (edit) => mark.mutate(edit),
    noMoment: moments.isPending
      ? "finding moments of the action …"
      : (moments.error?.message ?? "no moments of the action"),
    chosen: found.find((one) => one.frame === looked?.frame && one.kind === looked.kind) ?? null,
    choose,
    edit: (edit) => {
      queue.current = queue.current.then(async () => {
        try {
          const made = await answer(
            api.POST("/api/shows/{show_id}/bench/{clip_id}/music", {
              params: { path },
              body: { root: "", path: "", frame: 0, text: "", ...edit, side: asked() as Schemas["TreatmentIn"] },
            }),
          );
          setB(made.take as SideAsked);
        } catch (error) {
          notice.complain(error instanceof Error ? error.message : "The music was not changed.");
        }
      });
      return queue.current;
    },
    beats: (edit) => beats.mutate(edit),
    tap: (frame) => setTapped(taps.current.push(frame)),
    putTaps: () => {
      if (taps.current.length >= 2) beats.mutate({ do: "tap", taps: taps.current.map((frame) => frame.toFixed(4)) });
      taps.current = [];
      setTapped(0);
    },
    taps: tapped,
  };
}

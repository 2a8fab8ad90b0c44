import { useRef, useState } from "react";
import { answer, api, type Schemas } from "../../../data/client";
import { useNotice } from "../../../ui/Notice";
import type { SideAsked } from "../data";
import type { Stretch } from "./drawStrip";

type Asked = Schemas["CurveEdit"];
export type Edit = Pick<Asked, "do"> & Partial<Omit<Asked, "do" | "side">>;

/** The curve of a side as it is edited: what an edit would do, and making it. Edits land on side B. */
export interface CurveWork {
  view: Schemas["CurveView"];
  /** The point that is looked at, by its number. */
  chosen: number | null;
  choose: (number: number | null) => void;
  /** What an edit that is being dragged would do to lengths. */
  foreseen: Schemas["CurveEdited"] | null;
  foresee: (edit: Edit) => void;
  /** Make an edit, after those that were asked for before it. */
  make: (edit: Edit) => Promise<void>;
  /** When all edits that were asked for are made. */
  settled: () => Promise<void>;
  oneSpeed: () => void;
}

export function useCurve(
  showId: number,
  clipId: number,
  view: Schemas["CurveView"],
  side: () => SideAsked,
  /** The side whose beats, moments and cuts a point snaps to, and within how many frames. */
  snap: { token: string; within: number },
  setB: (asked: SideAsked) => void,
  /** Marks what a stretch fills once it runs at another speed. */
  mark: (stretch: Stretch) => void,
): CurveWork {
  const notice = useNotice();
  const queue = useRef(Promise.resolve());
  const [chosen, choose] = useState<number | null>(null);
  const [foreseen, setForeseen] = useState<Schemas["CurveEdited"] | null>(null);
  const ask = (edit: Edit) =>
    answer(
      api.POST("/api/shows/{show_id}/bench/{clip_id}/curve", {
        params: { path: { show_id: showId, clip_id: clipId } },
        body: {
          text: "",
          end: "both",
          token: snap.token,
          snap: snap.within,
          ...edit,
          side: side() as Schemas["TreatmentIn"],
        } as Asked,
      }),
    );
  /** Do something after the edits that were asked for before it: what is asked for last is what stays. */
  const after = (does: () => void | Promise<void>) => (queue.current = queue.current.then(does));
  return {
    view,
    chosen: chosen !== null && chosen < view.points.length ? chosen : null,
    choose,
    foreseen,
    foresee: (edit) => void ask(edit).then(setForeseen, () => setForeseen(null)),
    make: (edit) => {
      setForeseen(null);
      return after(async () => {
        try {
          const made = await ask(edit);
          setB({ ...side(), intent: (made.take as SideAsked).intent });
          if ((edit.do === "stretch" || edit.do === "fit") && edit.frame != null) {
            const first = edit.frame;
            const end = made.curve.points.find((point) => point.comes > first + 0.5)?.comes ?? made.after.frames;
            mark({ first, last: Math.max(first, Math.ceil(end) - 1) });
          }
          const [was, is] = [made.before.frames, made.after.frames];
          if (was !== is || made.moved.length) notice.say([`${was} → ${is} frames`, ...made.moved].join("; "));
        } catch (error) {
          notice.complain(error instanceof Error ? error.message : "The curve was not changed.");
        }
      });
    },
    settled: () => queue.current,
    oneSpeed: () => {
      const value = view.points[0]?.leaves ?? "1";
      choose(null);
      void after(() => setB({ ...side(), intent: { intent: view.of === "pace" ? "pace" : "speed", value } }));
    },
  };
}

import { useMemo, useState } from "react";
import type { Schemas } from "../../data/client";
import { answer, api } from "../../data/client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useLedger, useShow } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { firstOutput, isOfTimeline, madeOf, type Output } from "../../ui/Outputs";

export type Line = Schemas["FileLine"];
export type Of = Schemas["PlanDocument"]["of"];
type Change = Required<Omit<Schemas["LineChange"], "lines">>;

const USABLE = { mark: "usable" };
const DECIDED = { mark: "decided" };

/** What is to be made: which plan is open, of what, which outputs; and what of it is typed but not kept yet. */
export function useHandoff(showId: number) {
  const selection = useSelection();
  const show = useShow(showId).data;
  const [plan, setPlan] = useState<Schemas["HandoffPlanView"] | null>(null);
  const [of, setOf] = useState<Of>("clips");
  const [timelineId, setTimeline] = useState<number | null>(null);
  const [handles, setHandles] = useState(0);
  const [outputs, setOutputs] = useState<Output[]>([firstOutput("clips")]);
  const [again, setAgain] = useState(false);
  const usable = useLedger(showId, USABLE).data?.ids;
  const decided = useLedger(showId, DECIDED).data?.ids;
  const chosen = useMemo(() => {
    if (of === "decided") return decided ?? [];
    if (of === "usable") return usable ?? [];
    return of === "clips" ? (usable ?? []).filter((id) => selection.ids.has(id)) : [];
  }, [of, usable, decided, selection.ids]);
  const timeline = timelineId ?? (show?.timelines.find((one) => one.is_default) ?? show?.timelines[0])?.id ?? 0;

  /** Change some lines, each in its output; an empty change puts them back to their outputs. */
  const setLines = (lines: Line[], part: Partial<Change> | null) =>
    setOutputs(
      outputs.map((output) => {
        const own = lines.flatMap((line) => (line.output === output.id && line.line !== null ? [line.line] : []));
        if (!own.length) return output;
        if (part !== null) return { ...output, changes: [...output.changes, { ...EMPTY, ...part, lines: own }] };
        const rest = output.changes.map((change) => ({
          ...change,
          lines: change.lines.filter((line) => !own.includes(line)),
        }));
        return { ...output, changes: rest.filter((change) => change.lines.length > 0) };
      }),
    );
  const makeOf = (next: Of) => {
    setOf(next);
    setOutputs(madeOf(outputs, of, next));
  };
  const open = (next: Schemas["HandoffPlanView"] | null) => {
    setPlan(next);
    setAgain(false);
    if (!next) return;
    const { document } = next;
    setOf(document.of ?? "decided");
    setTimeline(document.timeline ?? null);
    setHandles(document.handles ?? 0);
    setOutputs(document.outputs.map((output) => ({ ...firstOutput(document.of ?? "decided"), ...output })));
    if (document.of === "clips") selection.set(document.clips ?? []);
  };
  const document: Schemas["PlanDocument"] = {
    of,
    handles: of === "events" ? handles : 0,
    outputs,
    clips: of === "clips" ? chosen : [],
    timeline: isOfTimeline(of) ? timeline : null,
  };
  return {
    plan, of, timeline, handles, outputs, again, chosen, usable, decided, document,
    setLines, setOutputs, makeOf, open, setPlan, setTimeline, setHandles, setAgain,
    timelines: show?.timelines ?? [],
  }; // prettier-ignore
}

export type Handoff = ReturnType<typeof useHandoff>;

const EMPTY = { setting: null, folder: null, pattern: null };

/** What is asked of the server: of clips, or of a timeline. */
function asked(handoff: Handoff): { ofClips: Schemas["MakeIn"] } | { ofTimeline: Schemas["EventsIn"] } {
  const { outputs, of, chosen, again, handles } = handoff;
  const plan = handoff.plan?.id ?? null;
  if (of === "events" || of === "transitions" || of === "timeline") {
    const own = of === "events" ? handles : 0;
    return { ofTimeline: { of, events: [], outputs, handles: own, plan, changed_only: plan !== null && !again } };
  }
  return { ofClips: { clip_ids: chosen, outputs, plan, again: plan === null || again } };
}

const pathsOf = (showId: number, handoff: Handoff) => ({
  clips: { params: { path: { show_id: showId } } },
  timeline: { params: { path: { show_id: showId, timeline_id: handoff.timeline } } },
});

/** The lines that would be made, what stands against any, and what they come to. */
export function useHandoffPreview(showId: number, handoff: Handoff) {
  const what = asked(handoff);
  const paths = pathsOf(showId, handoff);
  return useQuery({
    queryKey: ["preview", showId, handoff.timeline, what],
    enabled: "ofTimeline" in what || what.ofClips.clip_ids.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () =>
      "ofTimeline" in what
        ? answer(
            api.POST("/api/shows/{show_id}/cuts/{timeline_id}/files/preview", {
              ...paths.timeline,
              body: what.ofTimeline,
            }),
          )
        : answer(api.POST("/api/shows/{show_id}/handoff/preview", { ...paths.clips, body: what.ofClips })),
  });
}

/** Have all that can be made made. */
export function makeFiles(showId: number, handoff: Handoff): Promise<Schemas["Queued"]> {
  const what = asked(handoff);
  const paths = pathsOf(showId, handoff);
  return "ofTimeline" in what
    ? answer(api.POST("/api/shows/{show_id}/cuts/{timeline_id}/files", { ...paths.timeline, body: what.ofTimeline }))
    : answer(api.POST("/api/shows/{show_id}/renders", { ...paths.clips, body: what.ofClips }));
}

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct, useHandoffChoices } from "../../data/queries";
import { Sheet } from "../../ui/Sheet";
import { firstOutput, madeOf, Outputs } from "../../ui/Outputs";
import { Button, Labelled, Number, fieldLook } from "../../ui/parts";
import type { Cut } from "./data";
import { inFiles } from "../../ui/words";

type Of = Schemas["FilesOf"];

const OF: Record<Of, { word: string; none: string }> = {
  timeline: { word: "the whole timeline, as one file", none: "Nothing to make" },
  events: { word: "events, a file each", none: "Nothing to make" },
  transitions: { word: "transitions, a file each", none: "No transition leads into these events" },
};

/** Files of a timeline: what each would be called, what stands against it, and which are there already. */
export function FilesSheet({
  showId,
  cut,
  events,
  close,
}: {
  showId: number;
  cut: Cut;
  events: number[];
  close: () => void;
}) {
  const choices = useHandoffChoices(showId);
  const [of, setOf] = useState<Of>("events");
  const [outputs, setOutputs] = useState([firstOutput("events")]);
  const makeOf = (next: Of) => {
    setOf(next);
    setOutputs(madeOf(outputs, of, next));
  };
  const [handles, setHandles] = useState("12");
  const [changedOnly, setChangedOnly] = useState(true);
  const path = { show_id: showId, timeline_id: cut.id };
  const asked = {
    of,
    events,
    outputs,
    handles: Math.max(0, parseInt(handles, 10) || 0),
    changed_only: changedOnly,
  };
  const told = useQuery({
    queryKey: ["preview", showId, cut.id, cut.version, asked],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () =>
      answer(api.POST("/api/shows/{show_id}/cuts/{timeline_id}/files/preview", { params: { path }, body: asked })),
  });
  const make = useAct(
    () => answer(api.POST("/api/shows/{show_id}/cuts/{timeline_id}/files", { params: { path }, body: asked })),
    (made) => {
      close();
      const refused = made.refused.length ? ` ${made.refused.length} refused.` : "";
      return `${inFiles(made.queued)} queued; Handoff shows how far they are.${refused}`;
    },
  );
  const files = told.data?.files ?? [];
  const skipped = (file: Schemas["FileLine"]) => changedOnly && file.state === "unchanged";
  const good = files.filter((file) => file.state !== "refused" && !skipped(file));
  return (
    <Sheet
      title={`Files of ${cut.name}`}
      open
      wide
      close={close}
      foot={
        <>
          <Button weight="quiet" onClick={close}>
            Cancel
          </Button>
          <Button weight="main" disabled={!good.length || make.isPending} onClick={() => make.mutate(undefined)}>
            {good.length ? `Make ${inFiles(good.length)}` : OF[of].none}
          </Button>
        </>
      }
    >
      <div className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] gap-2 px-4">
        <div>
          <div className="mb-1 flex items-end gap-3">
            <Labelled label="Made of">
              <select
                className={`${fieldLook} w-64!`}
                value={of}
                onChange={(event) => makeOf(event.target.value as Of)}
              >
                {Object.entries(OF).map(([value, { word }]) => (
                  <option key={value} value={value}>
                    {value !== "timeline" && events.length ? word.replace(",", ` chosen (${events.length}),`) : word}
                  </option>
                ))}
              </select>
            </Labelled>
            <Labelled label="Handles, frames">
              <input
                className={`${fieldLook} w-20! text-right font-mono`}
                value={of === "events" ? handles : "0"}
                disabled={of !== "events"}
                onChange={(event) => setHandles(event.target.value)}
              />
            </Labelled>
            <label className="flex h-7 items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-(--patina)"
                checked={changedOnly}
                onChange={(event) => setChangedOnly(event.target.checked)}
              />
              only what has changed since its file was made
            </label>
          </div>
          <Outputs outputs={outputs} setOutputs={setOutputs} choices={choices.data} ofEvents />
        </div>
        {told.error && <p className="text-madder">▲ {told.error.message}</p>}
        <ul className="overflow-y-auto border border-hair" aria-label="Files">
          {files.map((file) => (
            <li key={file.out_path} className="border-b border-hair px-2 py-1 text-[13px]">
              <div className="flex items-center gap-3">
                <span className="min-w-0 flex-1 truncate font-mono text-[12.5px]" title={file.out_path}>
                  {file.out_path}
                </span>
                <Number className="w-32 text-right whitespace-nowrap">
                  {of === "events"
                    ? `${file.head}+${file.frames - file.head - file.tail}+${file.tail}`
                    : `${file.frames} frames`}
                </Number>
                <span className="w-[250px] text-soft">
                  {skipped(file) ? "● made, up to date" : file.state === "changed" ? `↻ ${file.why}` : ""}
                </span>
              </div>
              {file.problem && !skipped(file) && <p className="text-[12.5px] text-madder">✕ {file.problem}</p>}
              {file.remark && <p className="text-[12.5px] text-brass">■ {file.remark}</p>}
            </li>
          ))}
        </ul>
      </div>
    </Sheet>
  );
}

import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, api } from "../../data/client";
import { useAct } from "../../data/queries";
import { Sheet } from "../../ui/Sheet";
import { Button, Labelled, fieldLook } from "../../ui/parts";
import type { Cut } from "./data";

export type NewCut = { kind: "nest"; events: number[] } | { kind: "rerate" };

/** A new timeline: of some events, or of this whole cut at another rate. */
export function NewCutSheet({
  showId,
  cut,
  what,
  close,
}: {
  showId: number;
  cut: Cut;
  what: NewCut;
  close: () => void;
}) {
  const navigate = useNavigate();
  const [name, setName] = useState(what.kind === "nest" ? `${cut.name}, passage` : `${cut.name} at 29.97`);
  const [rate, setRate] = useState("29.97");
  const [drop, setDrop] = useState(true);
  const path = { show_id: showId, timeline_id: cut.id };
  const make = useAct(
    () =>
      what.kind === "nest"
        ? answer(
            api.POST("/api/shows/{show_id}/cuts/{timeline_id}/nest", {
              params: { path },
              body: { version: cut.version, events: what.events, name },
            }),
          )
        : answer(
            api.POST("/api/shows/{show_id}/cuts/{timeline_id}/rerate", {
              params: { path },
              body: { name, rate, drop_frame: drop },
            }),
          ),
    (made) => {
      close();
      if (what.kind === "rerate") void navigate(`/shows/${showId}/assembly/${made.timeline_id}`);
      return made.words;
    },
  );
  const count = what.kind === "nest" ? what.events.length : 0;
  return (
    <Sheet
      title={
        what.kind === "nest"
          ? `A timeline of ${count} ${count === 1 ? "event" : "events"}`
          : "This timeline at another rate"
      }
      open
      close={close}
      foot={
        <>
          <Button weight="quiet" onClick={close}>
            Cancel
          </Button>
          <Button weight="main" disabled={!name.trim()} onClick={() => make.mutate(undefined)}>
            {what.kind === "nest" ? "Make the timeline and nest it here" : "Make the timeline"}
          </Button>
        </>
      }
    >
      <div className="grid gap-3 px-4">
        <Labelled label="Name">
          <input className={fieldLook} value={name} onChange={(event) => setName(event.target.value)} />
        </Labelled>
        {what.kind === "rerate" && (
          <div className="flex items-end gap-4">
            <Labelled label="Rate">
              <input
                className={`${fieldLook} font-mono`}
                value={rate}
                onChange={(event) => setRate(event.target.value)}
              />
            </Labelled>
            <label className="flex h-7 items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-(--patina)"
                checked={drop}
                onChange={(event) => setDrop(event.target.checked)}
              />
              drop-frame, where the rate has it
            </label>
          </div>
        )}
        <p className="text-soft">
          {what.kind === "nest"
            ? `It takes rate, raster and scan of “${cut.name}”. Every source frame inside stays within reach, at any speed.`
            : `Each cut point goes to the nearest frame, at most half a frame off, and lengths are what lies between. Raster and scan stay those of “${cut.name}”.`}
        </p>
      </div>
    </Sheet>
  );
}

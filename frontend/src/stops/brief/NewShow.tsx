import { useState, type FormEvent } from "react";
import { useNavigate } from "react-router";
import { answer, api } from "../../data/client";
import { useAct, useShows } from "../../data/queries";
import { useVocabulary } from "../../data/vocabulary";
import { Button, fieldLook, Labelled } from "../../ui/parts";
import { FRESH_TIMELINE, TimelineFields } from "./TimelineForm";

/** The first thing to settle: a show, and the timeline that everything is conformed to. */
export function NewShow() {
  const navigate = useNavigate();
  const shows = useShows();
  const [name, setName] = useState("");
  const { timelines } = useVocabulary();
  const [timeline, setTimeline] = useState({ ...FRESH_TIMELINE, name: "Main" });
  const make = useAct(
    () => answer(api.POST("/api/shows", { body: { name, timeline } })),
    (show) => {
      void navigate(`/shows/${show.id}/intake`);
      return `“${show.name}” is ready for footage.`;
    },
  );
  const send = (event: FormEvent) => {
    event.preventDefault();
    make.mutate(undefined);
  };
  return (
    <main className="flex h-full items-center justify-center p-6">
      <form onSubmit={send} className="w-full max-w-2xl border border-hair bg-raised p-6">
        <h1 className="text-[20px] font-semibold">
          {shows.data?.length ? "New show" : "Odd Meter is ready. Name your show."}
        </h1>
        <p className="mt-1 mb-4 text-soft">
          Every clip is conformed to this timeline. Its settings never change by themselves.
        </p>
        <div className="mb-3">
          <Labelled label="Show name">
            <input autoFocus required className={fieldLook} value={name} onChange={(e) => setName(e.target.value)} />
          </Labelled>
        </div>
        <fieldset className="mb-3">
          <legend className="text-[12px] text-soft">Start from a common timeline</legend>
          <div className="mt-1 flex flex-wrap gap-1">
            {timelines.map(({ label, timeline: usual }) => (
              <button
                key={label}
                type="button"
                aria-pressed={JSON.stringify({ ...usual, name: timeline.name }) === JSON.stringify(timeline)}
                onClick={() => setTimeline({ ...usual, name: timeline.name })}
                className="border border-hair px-2 py-0.5 hover:bg-sunk aria-pressed:border-patina aria-pressed:bg-patina-wash aria-pressed:font-medium"
              >
                {label}
              </button>
            ))}
          </div>
        </fieldset>
        <TimelineFields value={timeline} set={setTimeline} />
        <div className="mt-4 flex gap-2">
          <Button type="submit" weight="main" disabled={make.isPending}>
            Create the show with a {timeline.rate || "…"} timeline
          </Button>
          {!!shows.data?.length && <Button onClick={() => void navigate(-1)}>Go back</Button>}
        </div>
      </form>
    </main>
  );
}

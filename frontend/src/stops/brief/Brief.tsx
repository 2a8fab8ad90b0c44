import { Plus } from "lucide-react";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { usePerson } from "../../data/preferences";
import { useAct, useLedger, useShow, useShowId } from "../../data/queries";
import { Button, Decimal, fieldLook, Heading, Labelled, Number } from "../../ui/parts";
import { House } from "./House";
import { Hook } from "./Hook";
import { Settings } from "./Settings";
import { FRESH_TIMELINE, TimelineForm, type TimelineIn } from "./TimelineForm";

type Timeline = Schemas["TimelineView"];

/** Brief: the show's timelines, which of them is planned for, and who is at work here. */
export function Brief() {
  const showId = useShowId();
  const show = useShow(showId);
  const clips = useLedger(showId).data?.total ?? 0;
  const [open, setOpen] = useState<number | "new" | null>(null);
  const path = { show_id: showId };
  const setShow = useAct((body: Schemas["ShowChange"]) =>
    answer(api.PATCH("/api/shows/{show_id}", { params: { path }, body })),
  );
  const add = useAct(
    (body: TimelineIn) => answer(api.POST("/api/shows/{show_id}/timelines", { params: { path }, body })),
    (_, made) => `Timeline “${made.name}” added.`,
  );
  const change = useAct(
    ({ timeline, value }: { timeline: Timeline; value: TimelineIn }) =>
      answer(
        api.PUT("/api/shows/{show_id}/timelines/{timeline_id}", {
          params: { path: { ...path, timeline_id: timeline.id } },
          body: { ...value, revision: timeline.revision },
        }),
      ),
    (_, { timeline, value }) =>
      value.rate === timeline.rate.spoken
        ? `“${value.name}” is set.`
        : `“${value.name}” from ${timeline.rate.spoken} to ${value.rate}.`,
  );
  const remove = useAct(
    (timeline: Timeline) =>
      answer(
        api.DELETE("/api/shows/{show_id}/timelines/{timeline_id}", {
          params: { path: { ...path, timeline_id: timeline.id } },
        }),
      ),
    (_, timeline) => `“${timeline.name}” and its events are taken away.`,
  );
  if (!show.data) return null;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_320px]">
      <section className="flex min-h-0 flex-col overflow-auto">
        <Heading
          aside={
            <Button weight="quiet" onClick={() => setOpen("new")}>
              <Plus size={14} aria-hidden /> Add a timeline
            </Button>
          }
        >
          Timelines
        </Heading>
        <table className="w-full">
          <thead className="text-left text-[12px] text-soft">
            <tr className="h-7 border-b border-hair">
              <th className="w-24 pl-3 font-normal">Default</th>
              <th className="font-normal">Name</th>
              <th className="w-24 pr-12 text-right font-normal">Rate</th>
              <th className="w-28 font-normal">Raster</th>
              <th className="w-20 font-normal">Pixels</th>
              <th className="w-40 font-normal">Scan</th>
              <th className="w-24 font-normal">Timecode</th>
              <th className="w-24 font-normal">Sound</th>
              <th className="w-20" aria-label="Change" />
            </tr>
          </thead>
          <tbody>
            {show.data.timelines.map((timeline) => (
              <TimelineRow
                key={timeline.id}
                timeline={timeline}
                clips={clips}
                open={open === timeline.id}
                choose={() => setShow.mutate({ default_timeline_id: timeline.id })}
                edit={() => setOpen(timeline.id)}
                leave={() => setOpen(null)}
                remove={() => remove.mutate(timeline, { onSuccess: () => setOpen(null) })}
                submit={(value) => change.mutate({ timeline, value }, { onSuccess: () => setOpen(null) })}
              />
            ))}
          </tbody>
        </table>
        {open === "new" && (
          <TimelineForm
            start={FRESH_TIMELINE}
            action={(value) => `Add “${value.name || "…"}” at ${value.rate || "…"}`}
            submit={(value) => add.mutate(value, { onSuccess: () => setOpen(null) })}
            leave={() => setOpen(null)}
          />
        )}
        <Settings showId={showId} />
        <Hook showId={showId} />
        <House showId={showId} />
      </section>
      <aside className="min-h-0 overflow-auto border-l border-hair bg-raised">
        <Heading>Show</Heading>
        <div className="p-3">
          <ShowName name={show.data.name} rename={(name) => setShow.mutate({ name })} />
        </div>
        <Heading>You</Heading>
        <div className="p-3">
          <YourName />
        </div>
      </aside>
    </div>
  );
}

function TimelineRow(props: {
  timeline: Timeline;
  clips: number;
  open: boolean;
  choose: () => void;
  edit: () => void;
  leave: () => void;
  remove: () => void;
  submit: (value: TimelineIn) => void;
}) {
  const { timeline } = props;
  const start: TimelineIn = { ...timeline, rate: timeline.rate.spoken };
  const reach = (value: TimelineIn) =>
    timeline.is_default && value.rate.trim() !== timeline.rate.spoken && props.clips > 0
      ? `All ${props.clips} clips of the show will be planned anew for ${value.rate}.`
      : null;
  return (
    <>
      <tr className={`h-8 border-b border-hair ${timeline.is_default ? "bg-patina-wash" : ""}`}>
        <td className="pl-3">
          <label className="flex items-center gap-1.5">
            <input
              type="radio"
              name="default"
              className="accent-(--patina)"
              checked={timeline.is_default}
              onChange={props.choose}
              aria-label={`Plan for ${timeline.name}`}
            />
            {timeline.is_default && <span className="text-patina">default</span>}
          </label>
        </td>
        <td className="font-medium whitespace-nowrap">{timeline.name}</td>
        <td className="pr-5">
          <Decimal text={timeline.rate.spoken} title={timeline.rate.exact} />
        </td>
        <td>
          <Number>
            {timeline.width} × {timeline.height}
          </Number>
        </td>
        <td>{timeline.pixel_aspect === "1/1" ? "square" : <Number>{timeline.pixel_aspect}</Number>}</td>
        <td>{timeline.scan_words}</td>
        <td>{timeline.drop_frame ? "drop-frame" : "non-drop"}</td>
        <td>
          <Number>{timeline.sound_rate / 1000} kHz</Number>
        </td>
        <td className="pr-3 text-right">
          <Button weight="quiet" onClick={props.edit} aria-label={`Change ${timeline.name}`}>
            Change
          </Button>
        </td>
      </tr>
      {props.open && (
        <tr>
          <td colSpan={9}>
            <TimelineForm
              start={start}
              reach={reach}
              action={(value) =>
                value.rate.trim() === timeline.rate.spoken
                  ? `Set “${value.name}”`
                  : `Set “${value.name}” from ${timeline.rate.spoken} to ${value.rate}`
              }
              submit={props.submit}
              leave={props.leave}
              remove={timeline.is_default ? undefined : props.remove}
            />
          </td>
        </tr>
      )}
    </>
  );
}

function ShowName({ name, rename }: { name: string; rename: (name: string) => void }) {
  const [typed, setTyped] = useState(name);
  const changed = typed.trim() !== name && typed.trim() !== "";
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (changed) rename(typed.trim());
      }}
    >
      <Labelled label="Name of the show">
        <input className={fieldLook} value={typed} onChange={(e) => setTyped(e.target.value)} />
      </Labelled>
      {changed && (
        <Button type="submit" weight="main" className="mt-2">
          Rename the show
        </Button>
      )}
    </form>
  );
}

function YourName() {
  const [name, setName] = usePerson();
  return (
    <Labelled label="Your name" hint="Shown to others next to your changes. Stored in this browser.">
      <input className={fieldLook} value={name} placeholder="Somebody" onChange={(e) => setName(e.target.value)} />
    </Labelled>
  );
}

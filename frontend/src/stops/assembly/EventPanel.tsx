import { useState } from "react";
import { useLedger, useRows } from "../../data/queries";
import { Button, Number, fieldLook } from "../../ui/parts";
import { answer, api } from "../../data/client";
import { useAct } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { useEffectOf, type Asked, type Cut, type CutEvent } from "./data";

const FIELDS = [
  ["speed", "Speed", "40%, -100%, every frame, real time, as the clip"],
  ["refit", "Fit this range into … frames", "200, 8s or 00:00:08:00; the speed changes"],
  ["trim head", "Trim head by", "+12, -3f, 2s; 12 sf: source frames"],
  ["trim tail", "Trim tail by", "+12, -3f, 2s; 12 sf: source frames"],
  ["slip", "Slip by source frames", "+4, -1/2"],
  ["slide", "Slide by", "+12; its neighbours are trimmed"],
  ["move", "Move by", "+12, into free space"],
  ["transition", "Dissolve", "12 frames; 0 for a cut"],
] as const;

type Field = (typeof FIELDS)[number][0];
const BY_VALUE: Field[] = ["speed", "refit", "transition"];
const OF_ONE: Field[] = ["refit", "trim head", "trim tail", "slide"];

/** What is chosen, the ways to change it by typing, and what each would do before it is done. */
export function EventPanel(props: {
  showId: number;
  cut: Cut;
  events: CutEvent[];
  head: number;
  weigh: (asked: Asked | null) => void;
  act: (asked: Asked) => void;
  nest: () => void;
}) {
  const { showId, cut, events, weigh, act } = props;
  const [first] = events;
  const ids = events.map((event) => event.id);
  const single = new Set(events.map((event) => event.group ?? event.id)).size === 1;
  const missing = events.filter((event) => event.kind === "clip" && event.clip_id === null);
  return (
    <div className="flex flex-col gap-2 px-3 py-2 text-[13px]">
      {!first ? (
        <p className="text-soft">Select an event in the list or on the timeline.</p>
      ) : (
        <>
          <p className="truncate font-medium" title={first.name}>
            {single ? first.name : `${events.length} events`}
          </p>
          {single && (
            <p className="text-soft">
              <Number>{first.source_in}</Number> to <Number>{first.source_out}</Number> read at {first.source_rate} ·{" "}
              <Number>{first.head}</Number> spare frames before, <Number>{first.tail}</Number> after
            </p>
          )}
          {first.trouble && single && <p className="text-madder">✕ {first.trouble}</p>}
          {missing.length > 0 && <LinkByHand showId={showId} cut={cut} events={missing} />}
          <div className="grid grid-cols-2 gap-x-3 gap-y-1">
            {FIELDS.filter(([edit]) => single || !OF_ONE.includes(edit)).map(([edit, label, hint]) => (
              <Typed
                key={`${edit}-${first.id}`}
                label={label}
                hint={hint}
                was={edit === "speed" ? first.speed : edit === "refit" ? String(first.length) : ""}
                asked={(text) => ({
                  edit,
                  events: single && OF_ONE.includes(edit) ? [first.id] : ids,
                  ...(BY_VALUE.includes(edit) ? { value: text } : { by: text }),
                })}
                weigh={weigh}
                act={act}
              />
            ))}
          </div>
          <div className="flex flex-wrap gap-1">
            <Quick name="Delete" asked={{ edit: "delete", events: ids }} weigh={weigh} act={act} />
            {single && (
              <Quick
                name="Split at the playhead"
                asked={{ edit: "split", events: [first.id], at: props.head }}
                weigh={weigh}
                act={act}
              />
            )}
            {single && first.marks.some((mark) => mark.kind === "gap") && (
              <>
                <Quick
                  name="Fill the gap with source frames"
                  asked={{ edit: "fill", events: [first.id], value: "source" }}
                  weigh={weigh}
                  act={act}
                />
                <Quick
                  name="Fill the gap by changing speed"
                  asked={{ edit: "fill", events: [first.id], value: "speed" }}
                  weigh={weigh}
                  act={act}
                />
              </>
            )}
            {events.some((event) => event.group !== null) && (
              <Quick name="Unlink picture and sound" asked={{ edit: "unlink", events: ids }} weigh={weigh} act={act} />
            )}
            <Button weight="quiet" onClick={props.nest}>
              Timeline of {events.length === 1 ? "it" : "these"} …
            </Button>
          </div>
          {single && first.kind === "timeline" && <Flattening showId={showId} cut={cut} event={first} act={act} />}
        </>
      )}
    </div>
  );
}

/** What the change that is being thought of would do, on every track, before it is made. */
export function EffectTold({ showId, cut, weighed }: { showId: number; cut: Cut; weighed: Asked | null }) {
  const told = useEffectOf(showId, cut, weighed);
  return (
    <div
      className="max-h-40 min-h-9 shrink-0 overflow-y-auto border-t border-hair bg-raised px-3 py-1.5 text-[13px]"
      role="status"
      aria-label="Preview"
    >
      {told?.data && (
        <>
          <p className="text-soft">{told.data.title}:</p>
          <ul>
            {told.data.words.map((line) => (
              <li key={line}>{line}</li>
            ))}
            {told.data.runs_out.map((line) => (
              <li key={line} className="text-madder">
                ■ {line}
              </li>
            ))}
            {told.data.words.length === 0 && <li>No other events move.</li>}
          </ul>
        </>
      )}
      {!weighed && <p className="text-soft">Preview of the change</p>}
      {told?.error && <p className="text-madder">▲ {told.error.message}</p>}
    </div>
  );
}

function Typed(props: {
  label: string;
  hint: string;
  was: string;
  asked: (text: string) => Asked;
  weigh: (asked: Asked | null) => void;
  act: (asked: Asked) => void;
}) {
  const [text, setText] = useState("");
  return (
    <label className="block min-w-0" title={props.hint}>
      <span className="block text-[12px] leading-4 text-soft">{props.label}</span>
      <input
        className={`${fieldLook} h-6! font-mono text-[12.5px]`}
        value={text}
        placeholder={props.was || props.hint.split(/[,;:]/)[0]}
        onChange={(change) => {
          setText(change.target.value);
          props.weigh(change.target.value.trim() ? props.asked(change.target.value.trim()) : null);
        }}
        onBlur={() => props.weigh(null)}
        onKeyDown={(press) => {
          if (press.key === "Enter" && text.trim()) {
            props.act(props.asked(text.trim()));
            setText("");
          }
          if (press.key === "Escape") {
            setText("");
            props.weigh(null);
          }
        }}
      />
    </label>
  );
}

function Quick(props: {
  name: string;
  asked: Asked;
  weigh: (asked: Asked | null) => void;
  act: (asked: Asked) => void;
}) {
  const show = () => props.weigh(props.asked);
  const hide = () => props.weigh(null);
  return (
    <Button onClick={() => props.act(props.asked)} onMouseEnter={show} onFocus={show} onMouseLeave={hide} onBlur={hide}>
      {props.name}
    </Button>
  );
}

/** A nested timeline by its own frames only, or by all that is inside; what that loses is said first. */
function Flattening(props: { showId: number; cut: Cut; event: CutEvent; act: (asked: Asked) => void }) {
  const { showId, cut, event } = props;
  const [lost, setLost] = useState<string | null>(null);
  const ask = useAct(
    () =>
      answer(
        api.GET("/api/shows/{show_id}/cuts/{timeline_id}/events/{event_id}/flattened", {
          params: { path: { show_id: showId, timeline_id: cut.id, event_id: event.id } },
        }),
      ),
    (found) => {
      setLost(found.map((one) => `${one.lost} of ${one.shown} frames of ${one.name}`).join(", ") || "nothing");
      return null;
    },
  );
  if (event.flattened)
    return (
      <Button onClick={() => props.act({ edit: "flatten", events: [event.id] })}>Show all nested frames again</Button>
    );
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Button weight="quiet" onClick={() => ask.mutate(undefined)}>
        What would be lost by flattening?
      </Button>
      {lost && (
        <>
          <span>{lost}</span>
          <Button onClick={() => props.act({ edit: "flatten", events: [event.id] })}>Flatten</Button>
        </>
      )}
    </div>
  );
}

/** The clip that is selected in Plan for events whose source was not found. */
function LinkByHand({ showId, cut, events }: { showId: number; cut: Cut; events: CutEvent[] }) {
  const selection = useSelection();
  const ledger = useLedger(showId);
  const ids = ledger.data?.ids ?? [];
  const row = useRows(showId, ids, 0, Math.min(ids.length, 400) - 1);
  const [clip, setClip] = useState<number | null>([...selection.ids][0] ?? null);
  const link = useAct(
    (clipId: number) =>
      answer(
        api.POST("/api/shows/{show_id}/cuts/{timeline_id}/link", {
          params: { path: { show_id: showId, timeline_id: cut.id } },
          body: { events: events.map((event) => event.id), clip_id: clipId },
        }),
      ),
    (made) => made.title,
  );
  const again = useAct(
    () =>
      answer(
        api.POST("/api/shows/{show_id}/cuts/{timeline_id}/find", {
          params: { path: { show_id: showId, timeline_id: cut.id } },
        }),
      ),
    (made) => made.title,
  );
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      <Button onClick={() => again.mutate(undefined)}>Relink all clips</Button>
      <select
        aria-label="Relink these events to"
        className={fieldLook}
        value={clip ?? ""}
        onChange={(change) => setClip(globalThis.Number(change.target.value) || null)}
      >
        <option value="">Which clip is it?</option>
        {ids.slice(0, 400).map((id) => (
          <option key={id} value={id}>
            {row(id)?.name ?? "…"}
          </option>
        ))}
      </select>
      <Button disabled={clip === null} onClick={() => clip !== null && link.mutate(clip)}>
        Relink
      </Button>
    </div>
  );
}

import { useRef, useState } from "react";
import type { Schemas } from "../../data/client";
import { useRoom } from "../../ui/useRoom";
import { useVirtual } from "../../ui/useVirtual";
import { Number } from "../../ui/parts";
import type { Cut, CutEvent } from "./data";

const COLUMNS = [
  ["Track", "w-[34px]", "left"],
  ["Event", "min-w-0 flex-1", "left"],
  ["From", "w-[90px]", "right"],
  ["Length", "w-[48px]", "right"],
  ["Source in", "w-[64px]", "right"],
  ["Source out", "w-[68px]", "right"],
  ["Speed", "w-[82px]", "right"],
  ["Rhythm", "w-[84px]", "left"],
  ["Marks", "w-[110px]", "left"],
] as const;

/** What a narrow window leaves out. */
const LEFT_OUT = ["Source out", "Rhythm"];

/** The events as a list to be read: the same selection as the score's. */
export function EventTable(props: { cut: Cut; chosen: Set<number>; choose: (ids: number[], to?: CutEvent) => void }) {
  const { cut, chosen, choose } = props;
  const [only, setOnly] = useState<Schemas["EventMark"] | null>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const anchor = useRef(0);
  const kinds = Object.entries(cut.counts) as [Schemas["EventMark"], number][];
  const kept = only && cut.counts[only] ? only : null;
  const rows = kept ? cut.events.filter((event) => event.marks.some((mark) => mark.kind === kept)) : cut.events;
  const virtual = useVirtual({ count: rows.length, scroller, height: () => 28, key: (i) => rows[i]?.id ?? i });
  const narrow = useRoom() === "narrow";
  const shown = (column: string) => !(narrow && LEFT_OUT.includes(column));
  const words = (kind: Schemas["EventMark"]) =>
    cut.events.flatMap((event) => event.marks).find((mark) => mark.kind === kind);
  const range = (to: number) => rows.slice(Math.min(anchor.current, to), Math.max(anchor.current, to) + 1);
  const click = (index: number, how: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    const event = rows[index];
    if (!event) return;
    if (how.shiftKey) return choose(range(index).map((one) => one.id));
    anchor.current = index;
    if (how.ctrlKey || how.metaKey) {
      const next = new Set(chosen);
      if (!next.delete(event.id)) next.add(event.id);
      return choose([...next]);
    }
    choose([event.id], event);
  };
  const move = (by: number, extend: boolean) => {
    const on = rows.flatMap((event, i) => (chosen.has(event.id) ? [i] : []));
    const from = (extend ? on[on.length - 1] : on[0]) ?? -by;
    const next = Math.max(0, Math.min(rows.length - 1, from + by));
    click(next, { shiftKey: extend, ctrlKey: false, metaKey: false });
    virtual.scrollToIndex(next);
  };
  return (
    <section className="flex min-h-0 min-w-0 flex-col" aria-label="Events">
      <div className="flex h-8 shrink-0 items-center gap-1.5 border-b border-hair px-3 text-[12.5px]">
        <button type="button" aria-pressed={!kept} className={chip(!kept)} onClick={() => setOnly(null)}>
          All {cut.events.length}
        </button>
        {kinds.map(([kind, count]) => (
          <button
            key={kind}
            type="button"
            aria-pressed={kept === kind}
            className={chip(kept === kind)}
            onClick={() => setOnly(kind)}
          >
            <span aria-hidden>{words(kind)?.shape}</span> {words(kind)?.words} {count}
          </button>
        ))}
        <span className="flex-1" />
        <span className="text-soft">{chosen.size ? `${chosen.size} selected` : ""}</span>
      </div>
      <div className="flex h-6 shrink-0 items-center gap-2 border-b border-hair px-3 text-[12px] text-soft" aria-hidden>
        {COLUMNS.filter(([name]) => shown(name)).map(([name, width, side]) => (
          <span key={name} className={`${width} shrink-0 ${side === "right" ? "text-right" : ""}`}>
            {name}
          </span>
        ))}
      </div>
      <div
        ref={scroller}
        role="listbox"
        aria-label="Events of the timeline"
        aria-multiselectable
        tabIndex={0}
        className="min-h-0 flex-1 overflow-y-auto"
        onKeyDown={(press) => {
          if (press.key !== "ArrowDown" && press.key !== "ArrowUp") return;
          press.preventDefault();
          move(press.key === "ArrowDown" ? 1 : -1, press.shiftKey);
        }}
      >
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const event = rows[item.index];
            if (!event) return null;
            return (
              <Row
                key={event.id}
                event={event}
                top={item.start}
                on={chosen.has(event.id)}
                of={rows.length}
                narrow={narrow}
                at={item.index}
                click={(press) => click(item.index, press)}
              />
            );
          })}
        </div>
      </div>
    </section>
  );
}

function Row(props: {
  event: CutEvent;
  top: number;
  on: boolean;
  of: number;
  narrow: boolean;
  at: number;
  click: (press: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void;
}) {
  const { event, on } = props;
  const [track, name, from, length, source, out, speed, rhythm, marks] = COLUMNS.map(
    ([, width, side]) => `${width} shrink-0 truncate ${side === "right" ? "text-right" : ""}`,
  );
  return (
    <div
      role="option"
      aria-selected={on}
      aria-setsize={props.of}
      aria-posinset={props.at + 1}
      className={`absolute inset-x-0 flex h-7 cursor-pointer items-center gap-2 border-b border-hair px-3 text-[13px] ${on ? "bg-patina-wash" : "hover:bg-sunk"}`}
      style={{ top: props.top }}
      onClick={props.click}
    >
      <span className={track}>{event.track}</span>
      <span className={name} title={event.name}>
        {event.kind === "timeline" && <span title="a timeline">▣ </span>}
        {event.transition && <span title={`${event.transition} of ${event.transition_length} frames`}>⋈ </span>}
        {event.name}
      </span>
      <Number className={from ?? ""}>{event.timecode_in}</Number>
      <Number className={length ?? ""}>{event.length}</Number>
      <Number className={source ?? ""}>{event.source_in}</Number>
      {!props.narrow && <Number className={out ?? ""}>{event.source_out}</Number>}
      <Number className={speed ?? ""}>{event.speed}</Number>
      {!props.narrow && (
        <span className={`${rhythm} text-soft`} title={event.rhythm}>
          {event.rhythm}
        </span>
      )}
      <span
        className={marks}
        title={event.trouble || event.marks.map((mark) => `${mark.words} ${mark.frames}`).join(", ")}
      >
        {event.marks.map((mark) => (
          <span key={mark.kind} className={`mr-2 ${mark.fault ? "text-madder" : "text-brass"}`}>
            {mark.shape} {mark.words} {mark.frames}
          </span>
        ))}
      </span>
    </div>
  );
}

const chip = (on: boolean) =>
  `h-6 border px-2 ${on ? "border-patina bg-patina-wash text-patina" : "border-transparent text-soft hover:text-ink"}`;

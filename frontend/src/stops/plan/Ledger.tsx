import { ChevronDown, ChevronRight } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState, type RefObject } from "react";
import type { Schemas } from "../../data/client";
import { useRows, type LedgerAsked } from "../../data/queries";
import { Number } from "../../ui/parts";
import { useRoom } from "../../ui/useRoom";
import { useList } from "../../ui/useList";
import { HEADS, useInSight, useVirtual } from "../../ui/useVirtual";
import type { Column } from "./columns";
import type { Decide } from "./decide";
import { LedgerRow } from "./LedgerRow";

type Line =
  { kind: "group"; group: Schemas["LedgerGroup"] } | { kind: "clip"; id: number; name: string; index: number };

const ROW = 30;
const SAYS_SO = 70;
const NAME = { narrow: "minmax(8.2rem,2.8fr)", usual: "minmax(10rem,2.8fr)", wide: "minmax(12.5rem,1fr)" };

/** The ledger: rows in groups, selected with mouse or keyboard, fetched and drawn only where they are seen. */
export function Ledger(props: {
  scroller: RefObject<HTMLDivElement | null>;
  showId: number;
  data: Schemas["Ledger"];
  asked: LedgerAsked;
  beside: number | null;
  columns: Column[];
  folded: string[];
  fold: (key: string) => void;
  unfold: () => void;
  sort: Schemas["Sort"];
  down: boolean;
  sortBy: (sort: Schemas["Sort"]) => void;
  decide: Decide;
  ask: (field: "pace" | "speed" | "fit" | "read" | "curve") => void;
  find: () => void;
  look: (id: number) => void;
}) {
  const { data, columns, folded, scroller } = props;
  const room = useRoom();
  const heads = useRef<HTMLDivElement>(null);
  const [away, setAway] = useState<string[]>([]);
  const lookRight = useCallback(() => {
    const edge = (scroller.current?.scrollLeft ?? 0) + (scroller.current?.clientWidth ?? 0);
    const cells = [...(heads.current?.children ?? [])].slice(2) as HTMLElement[];
    const beyond = (line: number) =>
      cells.flatMap((cell, i) => (cell.offsetLeft + cell.offsetWidth - 6 > line ? [columns[i]?.name ?? ""] : []));
    const out = beyond(edge).length ? beyond(edge - SAYS_SO) : [];
    setAway((before) => (before.join() === out.join() ? before : out));
  }, [scroller, columns]);
  useEffect(() => {
    const watch = new ResizeObserver(lookRight);
    if (scroller.current) watch.observe(scroller.current);
    return () => watch.disconnect();
  }, [scroller, lookRight]);
  const lines = useMemo(() => laidOut(data, new Set(folded)), [data, folded]);
  const clips = useMemo(() => lines.filter((line) => line.kind === "clip"), [lines]);
  const lineOf = useMemo(() => {
    const places: number[] = [];
    lines.forEach((line, i) => line.kind === "clip" && places.push(i));
    return places;
  }, [lines]);
  const view = useVirtual({ count: lines.length, scroller, height: () => ROW, overscan: 16, heads: HEADS });
  const look = () => {
    const clip = clips[list.current];
    if (clip) props.look(clip.id);
  };
  const groupHere = () => data.groups.find((group) => inGroup(group, clips[list.current]?.index ?? -1));
  const list = useList(clips, {
    title: "Ledger",
    page: () => Math.max(1, Math.floor((scroller.current?.clientHeight ?? ROW) / ROW) - 2),
    show: (index) => view.scrollToIndex(lineOf[index] ?? 0),
    keys: [
      { does: "real time", keys: { "1": () => props.decide({ intent: { intent: "real-time" } }) } },
      { does: "every frame", keys: { "2": () => props.decide({ intent: { intent: "every-frame" } }) } },
      { does: "pace …", keys: { "3": () => props.ask("pace") } },
      { does: "speed …", keys: { "4": () => props.ask("speed") } },
      { does: "fit to a length …", keys: { "5": () => props.ask("fit") } },
      { does: "leave as it is", keys: { "6": () => props.decide({ intent: { intent: "leave" } }) } },
      { does: "read at another rate …", keys: { "7": () => props.ask("read") } },
      { does: "speed ramp: a curve …", keys: { "8": () => props.ask("curve") } },
      { does: "no decision", keys: { "0": () => props.decide({ intent: null }) } },
      { does: "look at the clip on the Bench", keys: { Enter: look } },
      {
        does: "collapse the clip's group, or expand all",
        keys: {
          ArrowLeft: () => {
            const group = groupHere();
            if (group) props.fold(group.key);
          },
          ArrowRight: () => props.unfold(),
        },
      },
      { does: "search the ledger", keys: { "/": props.find } },
    ],
  });
  const { ids, set, current } = list;
  const items = view.getVirtualItems();
  const shown = items.map((item) => lines[item.index]).filter((line) => line?.kind === "clip");
  const row = useRows(props.showId, data.ids, shown[0]?.index ?? 0, shown.at(-1)?.index ?? 0, props.beside);
  const tracks = `16px ${NAME[room]} ${columns.map((column) => column.track).join(" ")}`;

  useInSight(view, lineOf[list.current] ?? 0);
  useEffect(() => scroller.current?.focus({ preventScroll: true }), [scroller]);
  useEffect(() => void scroller.current?.scrollTo({ top: 0 }), [scroller, props.asked]);

  return (
    <div className="relative flex min-h-0 flex-1 flex-col">
      {away.length > 0 && (
        <button
          type="button"
          className="absolute top-0 right-0 z-20 flex h-7 items-center border-l border-hair bg-raised px-2 text-[12px] text-patina hover:underline"
          onClick={() => scroller.current?.scrollTo({ left: scroller.current.scrollWidth })}
        >
          {away.join(", ")} →
        </button>
      )}
      <div
        ref={scroller}
        onScroll={lookRight}
        role="grid"
        tabIndex={0}
        aria-label="Clips"
        aria-multiselectable
        aria-rowcount={lines.length + 1}
        aria-colcount={columns.length + 2}
        aria-activedescendant={clips[current] ? `clip-${clips[current].id}` : undefined}
        onKeyDown={list.press}
        className="group min-h-0 flex-1 overflow-auto outline-none"
      >
        <div style={{ minWidth: `${widthOf(columns, room)}rem` }}>
          <div
            ref={heads}
            role="row"
            aria-rowindex={1}
            style={{ gridTemplateColumns: tracks }}
            className="sticky top-0 z-10 grid h-7 items-center gap-x-1.5 border-b border-hair bg-ground px-2 text-[12px] text-soft"
          >
            <span role="columnheader" aria-colindex={1} className="flex">
              <input
                type="checkbox"
                aria-label="Select all that are shown"
                className="accent-(--patina)"
                checked={clips.length > 0 && clips.every((clip) => ids.has(clip.id))}
                onChange={(event) => set(event.target.checked ? clips.map((clip) => clip.id) : [])}
              />
            </span>
            <Head name="Clip" sort="name" at={2} props={props} />
            {columns.map((column, i) => (
              <Head
                key={column.key}
                name={column.name}
                align={column.align}
                sort={column.sort}
                at={i + 3}
                props={props}
              />
            ))}
          </div>
          {data.ids.length === 0 && (
            <div role="row" className="p-4 text-soft">
              <span role="gridcell">No clip fits this filter.</span>
            </div>
          )}
          <div style={{ height: view.getTotalSize() }} className="relative">
            {items.map((item) => {
              const line = lines[item.index];
              if (!line) return null;
              const place = { transform: `translateY(${item.start}px)`, height: ROW };
              if (line.kind === "group") {
                const closed = folded.includes(line.group.key);
                return (
                  <div
                    key={line.group.key}
                    role="row"
                    aria-rowindex={item.index + 2}
                    style={place}
                    className="absolute inset-x-0 border-b border-hair bg-sunk"
                  >
                    <span role="gridcell" aria-colspan={columns.length + 2} className="block h-full">
                      <button
                        type="button"
                        aria-expanded={!closed}
                        onClick={() => props.fold(line.group.key)}
                        className="flex h-full w-full items-end gap-2 px-2 pb-1 text-left"
                      >
                        {closed ? <ChevronRight size={14} aria-hidden /> : <ChevronDown size={14} aria-hidden />}
                        <span className="font-semibold">{line.group.name}</span>
                        <span className="text-[12.5px] text-soft">
                          <Number>{line.group.count}</Number> {line.group.count === 1 ? "clip" : "clips"}
                        </span>
                        <span className="ml-3 text-[12.5px] text-soft">
                          <Number>
                            {line.group.before.timecode} → {line.group.after.timecode}
                          </Number>
                        </span>
                      </button>
                    </span>
                  </div>
                );
              }
              return (
                <LedgerRow
                  key={line.id}
                  id={line.id}
                  name={line.name}
                  row={row(line.id)}
                  columns={columns}
                  tracks={tracks}
                  style={place}
                  rowIndex={item.index + 2}
                  selected={ids.has(line.id)}
                  current={clips[current]?.id === line.id}
                  onClick={(event) => list.click(event, clips.indexOf(line))}
                  onToggle={() => list.toggle(clips.indexOf(line))}
                  onLook={() => props.look(line.id)}
                />
              );
            })}
          </div>
        </div>
      </div>
    </div>
  );
}

function Head(given: {
  name: string;
  align?: string;
  sort?: Schemas["Sort"];
  at: number;
  props: { sort: Schemas["Sort"]; down: boolean; sortBy: (sort: Schemas["Sort"]) => void };
}) {
  const { sort, down, sortBy } = given.props;
  const on = given.sort === sort;
  return (
    <span
      role="columnheader"
      aria-colindex={given.at}
      className={given.align ?? ""}
      aria-sort={on && (given.sort !== "name" || down) ? (down ? "descending" : "ascending") : undefined}
    >
      {given.sort ? (
        <button type="button" className="hover:text-patina" onClick={() => given.sort && sortBy(given.sort)}>
          {given.name}
          {on && (given.sort !== "name" || down) ? (down ? " ↓" : " ↑") : ""}
        </button>
      ) : (
        given.name
      )}
    </span>
  );
}

/** The least width in rem that the columns need beside the clip's name. */
function widthOf(columns: Column[], room: keyof typeof NAME): number {
  const gap = 0.4;
  return columns.reduce((sum, { track }) => {
    const [, number = "0", unit] = /([\d.]+)(rem|px)/.exec(track) ?? [];
    return sum + gap + parseFloat(number) / (unit === "px" ? 16 : 1);
  }, { narrow: 9.8, usual: 11.6, wide: 14.1 }[room]);
}

const inGroup = (group: Schemas["LedgerGroup"], index: number) =>
  index >= group.first && index < group.first + group.count;

function laidOut(data: Schemas["Ledger"], folded: Set<string>): Line[] {
  const clip = (index: number): Line => ({
    kind: "clip",
    id: data.ids[index] ?? 0,
    name: data.names[index] ?? "",
    index,
  });
  if (data.groups.length === 1 && data.groups[0]?.name === "") return data.ids.map((_, index) => clip(index));
  return data.groups.flatMap((group): Line[] => [
    { kind: "group", group },
    ...(folded.has(group.key) ? [] : Array.from({ length: group.count }, (_, i) => clip(group.first + i))),
  ]);
}

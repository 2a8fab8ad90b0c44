import { useVirtualizer } from "@tanstack/react-virtual";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useEffect, useMemo, useRef } from "react";
import type { Schemas } from "../../data/client";
import { useRows, type LedgerAsked } from "../../data/queries";
import { Number } from "../../ui/parts";
import { useList } from "../../ui/useList";
import type { Column } from "./columns";
import type { Decide } from "./decide";
import { LedgerRow } from "./LedgerRow";

type Line =
  { kind: "group"; group: Schemas["LedgerGroup"] } | { kind: "clip"; id: number; name: string; index: number };

const ROW = 30;

/** The ledger: rows in groups, selected with mouse or keyboard, fetched and drawn only where they are seen. */
export function Ledger(props: {
  showId: number;
  data: Schemas["Ledger"];
  asked: LedgerAsked;
  beside: number | null;
  columns: Column[];
  folded: string[];
  fold: (key: string) => void;
  sort: Schemas["Sort"];
  down: boolean;
  sortBy: (sort: Schemas["Sort"]) => void;
  decide: Decide;
  ask: (field: "pace" | "speed" | "fit" | "read") => void;
  find: () => void;
  look: (id: number) => void;
}) {
  const { data, columns, folded } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const lines = useMemo(() => laidOut(data, new Set(folded)), [data, folded]);
  const clips = useMemo(() => lines.filter((line) => line.kind === "clip"), [lines]);
  const lineOf = useMemo(() => {
    const places: number[] = [];
    lines.forEach((line, i) => line.kind === "clip" && places.push(i));
    return places;
  }, [lines]);
  const view = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 16,
  });
  const list = useList(clips, {
    page: () => Math.max(1, Math.floor((scroller.current?.clientHeight ?? ROW) / ROW) - 2),
    show: (index) => view.scrollToIndex(lineOf[index] ?? 0),
    acts: {
      "/": props.find,
      Enter: () => {
        const clip = clips[list.current];
        if (clip) props.look(clip.id);
      },
      "1": () => props.decide({ intent: { intent: "real-time" } }),
      "2": () => props.decide({ intent: { intent: "every-frame" } }),
      "3": () => props.ask("pace"),
      "4": () => props.ask("speed"),
      "5": () => props.ask("fit"),
      "6": () => props.decide({ intent: { intent: "leave" } }),
      "7": () => props.ask("read"),
      "0": () => props.decide({ intent: null }),
    },
  });
  const { ids, set, current } = list;
  const items = view.getVirtualItems();
  const shown = items.map((item) => lines[item.index]).filter((line) => line?.kind === "clip");
  const row = useRows(props.showId, data.ids, shown[0]?.index ?? 0, shown.at(-1)?.index ?? 0, props.beside);
  const tracks = `16px minmax(10rem,1.4fr) ${columns.map((column) => column.track).join(" ")}`;

  useEffect(() => {
    scroller.current?.focus({ preventScroll: true });
  }, []);
  useEffect(() => {
    scroller.current?.scrollTo({ top: 0 });
  }, [props.asked]);

  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label="Clips"
      aria-multiselectable
      aria-rowcount={data.ids.length}
      aria-activedescendant={clips[current] ? `clip-${clips[current].id}` : undefined}
      onKeyDown={list.press}
      className="group min-h-0 flex-1 overflow-auto outline-none"
    >
      <div style={{ minWidth: `${widthOf(columns)}rem` }}>
        <div
          role="row"
          style={{ gridTemplateColumns: tracks }}
          className="sticky top-0 z-10 grid h-7 items-center gap-x-1.5 border-b border-hair bg-ground px-2 text-[12px] text-soft"
        >
          <input
            type="checkbox"
            tabIndex={-1}
            aria-label="Select all that are shown"
            className="accent-(--patina)"
            checked={clips.length > 0 && clips.every((clip) => ids.has(clip.id))}
            onChange={(event) => set(event.target.checked ? clips.map((clip) => clip.id) : [])}
          />
          <Head name="Clip" sort="name" props={props} />
          {columns.map((column) => (
            <Head key={column.key} name={column.name} align={column.align} sort={column.sort} props={props} />
          ))}
        </div>
        {data.ids.length === 0 && <p className="p-4 text-soft">No clip fits this filter.</p>}
        <div style={{ height: view.getTotalSize() }} className="relative">
          {items.map((item) => {
            const line = lines[item.index];
            if (!line) return null;
            const place = { transform: `translateY(${item.start}px)`, height: ROW };
            if (line.kind === "group") {
              const closed = folded.includes(line.group.key);
              return (
                <button
                  key={line.group.key}
                  type="button"
                  tabIndex={-1}
                  style={place}
                  aria-expanded={!closed}
                  onClick={() => props.fold(line.group.key)}
                  className="absolute inset-x-0 flex w-full items-end gap-2 border-b border-hair bg-sunk px-2 pb-1 text-left"
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
  );
}

function Head(given: {
  name: string;
  align?: string;
  sort?: Schemas["Sort"];
  props: { sort: Schemas["Sort"]; down: boolean; sortBy: (sort: Schemas["Sort"]) => void };
}) {
  const { sort, down, sortBy } = given.props;
  const on = given.sort === sort;
  return (
    <span
      role="columnheader"
      className={given.align ?? ""}
      aria-sort={on && (given.sort !== "name" || down) ? (down ? "descending" : "ascending") : undefined}
    >
      {given.sort ? (
        <button
          type="button"
          tabIndex={-1}
          className="hover:text-patina"
          onClick={() => given.sort && sortBy(given.sort)}
        >
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
function widthOf(columns: Column[]): number {
  const gap = 0.4;
  return columns.reduce((sum, { track }) => {
    const [, number = "0", unit] = /([\d.]+)(rem|px)/.exec(track) ?? [];
    return sum + gap + parseFloat(number) / (unit === "px" ? 16 : 1);
  }, 11.6);
}

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

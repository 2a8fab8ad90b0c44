import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef } from "react";
import type { Schemas } from "../../data/client";
import { Number } from "../../ui/parts";
import { useList } from "../../ui/useList";
import type { Decide } from "./decide";
import { LedgerRow, LEDGER_COLUMNS, LEDGER_HEADS } from "./LedgerRow";

type Row = Schemas["ClipRow"];
type Line = { kind: "delivery"; name: string; clips: number } | { kind: "clip"; row: Row; index: number };

const ROW = 30;

/** The ledger: rows grouped by delivery, selected with mouse or keyboard, drawn only where they are seen. */
export function Ledger(props: {
  rows: Row[];
  deliveries: Schemas["DeliveryView"][];
  decide: Decide;
  ask: (intent: "pace" | "speed") => void;
  find: () => void;
}) {
  const { rows } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const lines = useMemo(() => grouped(rows, props.deliveries), [rows, props.deliveries]);
  const lineOf = useMemo(() => {
    const places = new Map<number, number>();
    lines.forEach((line, i) => line.kind === "clip" && places.set(line.index, i));
    return places;
  }, [lines]);
  const view = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 14,
  });
  const list = useList(rows, {
    page: () => Math.max(1, Math.floor((scroller.current?.clientHeight ?? ROW) / ROW) - 2),
    show: (index) => view.scrollToIndex(lineOf.get(index) ?? 0),
    acts: {
      "/": props.find,
      "1": () => props.decide({ intent: { intent: "real-time" } }),
      "2": () => props.decide({ intent: { intent: "every-frame" } }),
      "3": () => props.ask("pace"),
      "4": () => props.ask("speed"),
      "0": () => props.decide({ intent: null }),
    },
  });
  const { ids, set, current } = list;

  useEffect(() => {
    scroller.current?.focus({ preventScroll: true });
  }, []);

  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label="Clips"
      aria-multiselectable
      aria-rowcount={rows.length}
      aria-activedescendant={rows[current] ? `clip-${rows[current].id}` : undefined}
      onKeyDown={list.press}
      className="group min-h-0 flex-1 overflow-auto outline-none"
    >
      <div
        role="row"
        className={`sticky top-0 z-10 grid h-7 min-w-[838px] items-center gap-x-1.5 border-b border-hair bg-ground px-2 text-[12px] text-soft ${LEDGER_COLUMNS}`}
      >
        <input
          type="checkbox"
          tabIndex={-1}
          aria-label="Select all that are shown"
          className="accent-(--patina)"
          checked={rows.length > 0 && rows.every((row) => ids.has(row.id))}
          onChange={(event) => set(event.target.checked ? rows.map((row) => row.id) : [])}
        />
        {LEDGER_HEADS.map(({ name, align }) => (
          <span key={name} role="columnheader" className={align}>
            {name}
          </span>
        ))}
      </div>
      {rows.length === 0 && <p className="p-4 text-soft">No clip fits this filter.</p>}
      <div style={{ height: view.getTotalSize() }} className="relative min-w-[838px]">
        {view.getVirtualItems().map((item) => {
          const line = lines[item.index];
          if (!line) return null;
          const place = { transform: `translateY(${item.start}px)`, height: ROW };
          if (line.kind === "delivery")
            return (
              <div
                key={`d${line.name}`}
                style={place}
                className="absolute inset-x-0 flex items-end gap-2 border-b border-hair bg-sunk px-2 pb-1"
              >
                <span className="font-semibold">{line.name}</span>
                <span className="text-[12.5px] text-soft">
                  <Number>{line.clips}</Number> {line.clips === 1 ? "clip" : "clips"}
                </span>
              </div>
            );
          return (
            <LedgerRow
              key={line.row.id}
              row={line.row}
              style={place}
              selected={ids.has(line.row.id)}
              current={line.index === current}
              onClick={(event) => list.click(event, line.index)}
              onToggle={() => list.toggle(line.index)}
            />
          );
        })}
      </div>
    </div>
  );
}

function grouped(rows: Row[], deliveries: Schemas["DeliveryView"][]): Line[] {
  const names = new Map(deliveries.map((d) => [d.id, d.name]));
  const sizes = new Map<number, number>();
  rows.forEach((row) => sizes.set(row.delivery_id, (sizes.get(row.delivery_id) ?? 0) + 1));
  return rows.flatMap((row, index): Line[] => {
    const clip: Line = { kind: "clip", row, index };
    if (rows[index - 1]?.delivery_id === row.delivery_id) return [clip];
    const name = names.get(row.delivery_id) ?? "";
    return [{ kind: "delivery", name, clips: sizes.get(row.delivery_id) ?? 0 }, clip];
  });
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type MouseEvent } from "react";
import type { Schemas } from "../../data/client";
import { useSelection } from "../../data/selection";
import { Number } from "../../ui/parts";
import type { Decide } from "./decide";
import { LedgerRow, LEDGER_COLUMNS, LEDGER_HEADS } from "./LedgerRow";

type Row = Schemas["ClipRow"];
type Line = { kind: "delivery"; name: string; clips: number } | { kind: "clip"; row: Row; index: number };

const ROW = 30;
const TYPING_PAUSE = 800;

/** The ledger: rows grouped by delivery, selected with mouse or keyboard, drawn only where they are seen. */
export function Ledger(props: {
  rows: Row[];
  deliveries: Schemas["DeliveryView"][];
  decide: Decide;
  ask: (intent: "pace" | "speed") => void;
  find: () => void;
}) {
  const { rows } = props;
  const { ids, set } = useSelection();
  const scroller = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState(0);
  const anchor = useRef(0);
  const typed = useRef({ text: "", when: 0 });
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
  const current = Math.min(at, rows.length - 1);

  useEffect(() => {
    scroller.current?.focus({ preventScroll: true });
  }, []);

  const range = (a: number, b: number) => rows.slice(Math.min(a, b), Math.max(a, b) + 1).map((row) => row.id);
  const move = (to: number, extend: boolean) => {
    const next = Math.max(0, Math.min(rows.length - 1, to));
    if (extend) set(range(anchor.current, next));
    else {
      anchor.current = next;
      const row = rows[next];
      if (row) set([row.id]);
    }
    setAt(next);
    view.scrollToIndex(lineOf.get(next) ?? 0);
  };
  const toggle = (index: number) => {
    const row = rows[index];
    if (!row) return;
    const next = new Set(ids);
    if (!next.delete(row.id)) next.add(row.id);
    set(next);
    anchor.current = index;
    setAt(index);
  };
  /** Type-ahead. Goes on with any character for which there is a name, so that a digit can be part of one. */
  const jumped = (key: string): boolean => {
    const now = Date.now();
    const goesOn = now - typed.current.when < TYPING_PAUSE && typed.current.text !== "";
    if (key.length !== 1 || (!goesOn && !/^\p{L}$/u.test(key))) return false;
    const text = (goesOn ? typed.current.text + key : key).toLowerCase();
    const found = rows.findIndex((row) => row.name.toLowerCase().startsWith(text));
    if (found < 0) return false;
    typed.current = { text, when: now };
    move(found, false);
    return true;
  };
  const press = (event: KeyboardEvent) => {
    const command = event.ctrlKey || event.metaKey;
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? ROW) / ROW) - 2);
    const does: Record<string, () => void> = {
      ArrowDown: () => move(ids.size || current ? current + 1 : 0, event.shiftKey),
      ArrowUp: () => move(current - 1, event.shiftKey),
      PageDown: () => move(current + page, event.shiftKey),
      PageUp: () => move(current - page, event.shiftKey),
      Home: () => move(0, event.shiftKey),
      End: () => move(rows.length - 1, event.shiftKey),
      Escape: () => set([]),
      " ": () => toggle(current),
      "/": props.find,
      "1": () => props.decide({ intent: { intent: "real-time" } }),
      "2": () => props.decide({ intent: { intent: "every-frame" } }),
      "3": () => props.ask("pace"),
      "4": () => props.ask("speed"),
      "0": () => props.decide({ intent: null }),
    };
    if (command && event.key.toLowerCase() === "a") set(rows.map((row) => row.id));
    else if (command || event.altKey) return;
    else if (!jumped(event.key)) {
      const act = does[event.key];
      if (!act) return;
      act();
    }
    event.preventDefault();
  };
  const click = (event: MouseEvent, index: number) => {
    if (event.shiftKey) move(index, true);
    else if (event.ctrlKey || event.metaKey) toggle(index);
    else move(index, false);
  };

  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label="Clips"
      aria-multiselectable
      aria-rowcount={rows.length}
      aria-activedescendant={rows[current] ? `clip-${rows[current].id}` : undefined}
      onKeyDown={press}
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
              onClick={(event) => click(event, line.index)}
              onToggle={() => toggle(line.index)}
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

import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, type MouseEvent } from "react";
import type { EvidenceRow, Question } from "../../data/evidence";
import { useList } from "../../ui/useList";
import { claimsBy, SOURCES, STATES, verdictOf } from "./questions";

const ROW = 30;
const COLUMNS =
  "grid-cols-[1.1rem_minmax(11.6rem,1.6fr)_minmax(5.2rem,0.8fr)_minmax(5rem,0.8fr)_minmax(7rem,1.1fr)_minmax(6.4rem,1fr)_minmax(4.6rem,0.6fr)_minmax(4.2rem,0.7fr)_minmax(11rem,1fr)]";
const WIDTH = "min-w-[850px]";

/** One row per clip, one column per source, for one question; the verdict last. */
export function EvidenceList(props: {
  rows: EvidenceRow[];
  question: Question;
  acts: Record<string, () => void>;
  turn: (step: number) => void;
  tight: boolean;
}) {
  const { rows, question } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const view = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 14,
  });
  const list = useList(rows, {
    page: () => Math.max(1, Math.floor((scroller.current?.clientHeight ?? ROW) / ROW) - 2),
    show: (index) => view.scrollToIndex(index),
    acts: { ...props.acts, ArrowRight: () => props.turn(1), ArrowLeft: () => props.turn(-1) },
  });
  useEffect(() => {
    scroller.current?.focus({ preventScroll: true });
  }, []);
  const { current } = list;
  useEffect(() => view.scrollToIndex(current), [props.tight, current, view]);
  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label="Evidence"
      aria-multiselectable
      aria-rowcount={rows.length}
      aria-activedescendant={rows[list.current] ? `clip-${rows[list.current]?.id}` : undefined}
      onKeyDown={list.press}
      className="group h-full min-h-0 overflow-auto outline-none"
    >
      <div
        role="row"
        className={`sticky top-0 z-10 grid h-7 ${WIDTH} items-center gap-x-2 border-b border-hair bg-ground px-2 text-[12px] text-soft ${COLUMNS}`}
      >
        <input
          type="checkbox"
          tabIndex={-1}
          aria-label="Select all that are shown"
          className="accent-(--patina)"
          checked={rows.length > 0 && rows.every((row) => list.ids.has(row.id))}
          onChange={(event) => list.set(event.target.checked ? rows.map((row) => row.id) : [])}
        />
        {["Clip", ...SOURCES.map((source) => source.name), "Verdict"].map((name) => (
          <span key={name} role="columnheader">
            {name}
          </span>
        ))}
      </div>
      {rows.length === 0 && <p className="p-4 text-soft">No clip fits this filter.</p>}
      <div style={{ height: view.getTotalSize() }} className={`relative ${WIDTH}`}>
        {view.getVirtualItems().map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          return (
            <Row
              key={row.id}
              row={row}
              question={question}
              top={item.start}
              selected={list.ids.has(row.id)}
              current={item.index === list.current}
              onClick={(event) => list.click(event, item.index)}
              onToggle={() => list.toggle(item.index)}
            />
          );
        })}
      </div>
    </div>
  );
}

function Row(props: {
  row: EvidenceRow;
  question: Question;
  top: number;
  selected: boolean;
  current: boolean;
  onClick: (event: MouseEvent) => void;
  onToggle: () => void;
}) {
  const { row } = props;
  return (
    <div
      id={`clip-${row.id}`}
      role="row"
      aria-selected={props.selected}
      style={{ transform: `translateY(${props.top}px)`, height: ROW }}
      onClick={props.onClick}
      className={`absolute inset-x-0 grid cursor-default items-center gap-x-2 border-b border-hair px-2 select-none ${COLUMNS} ${
        props.selected ? "bg-patina-wash" : "hover:bg-sunk"
      } ${props.current ? "group-focus-visible:outline-2 group-focus-visible:-outline-offset-2 group-focus-visible:outline-patina" : ""}`}
    >
      <input
        type="checkbox"
        tabIndex={-1}
        className="accent-(--patina)"
        aria-label={`Select ${row.name}`}
        checked={props.selected}
        onClick={(event) => event.stopPropagation()}
        onChange={props.onToggle}
      />
      <span role="rowheader" className="flex min-w-0 items-baseline gap-1.5" title={row.path}>
        <span className="truncate font-medium">{row.name}</span>
        {row.proxy_of && <span className="shrink-0 text-[12px] text-soft">proxy</span>}
        {row.troubles.length > 0 && !row.facts?.fault && (
          <span className="shrink-0 text-madder" title={row.troubles.join(" ")}>
            ▲<span className="sr-only"> {row.troubles.join(" ")}</span>
          </span>
        )}
      </span>
      <Cells {...props} />
    </div>
  );
}

function Cells({ row, question }: { row: EvidenceRow; question: Question }) {
  if (!row.facts)
    return (
      <span role="gridcell" className="col-span-7 text-soft">
        being looked at …
      </span>
    );
  if (row.facts.fault)
    return (
      <span role="gridcell" className="col-span-7 truncate text-madder" title={row.facts.fault}>
        ✕ {row.facts.fault}
      </span>
    );
  const verdict = verdictOf(row, question);
  const state = STATES[verdict.state];
  return (
    <>
      {SOURCES.map(({ key }) => {
        const claims = claimsBy(verdict, key);
        const looking = key === "picture" && row.look && ["waiting", "looking"].includes(row.look.state);
        return (
          <span
            key={key}
            role="gridcell"
            className={`truncate text-[12.5px] ${claims.some((c) => c.against) ? "text-brass" : ""}`}
            title={claims.map((c) => c.words).join("; ")}
          >
            {claims.length === 0 ? (
              looking ? (
                <span className="text-soft">looking …</span>
              ) : null
            ) : (
              <>
                {claims.some((c) => c.against) && <span aria-label="says otherwise">≠ </span>}
                <span className={claims.every((c) => c.assumed) ? "text-soft italic" : ""}>
                  {claims.map((c) => c.words).join("; ")}
                </span>
              </>
            )}
          </span>
        );
      })}
      <span role="gridcell" className="flex min-w-0 items-baseline justify-between gap-2" title={verdict.why}>
        <span className={`truncate font-mono text-[12.5px] ${verdict.state === "assumed" ? "italic" : "font-medium"}`}>
          {verdict.value === null ? "" : verdict.words}
        </span>
        <span className={`shrink-0 text-[12.5px] ${state.tone}`}>
          <span aria-hidden className="font-mono text-[11px]">
            {state.shape}
          </span>{" "}
          {state.word}
        </span>
      </span>
    </>
  );
}

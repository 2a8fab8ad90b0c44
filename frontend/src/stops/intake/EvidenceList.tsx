import { useEffect, useMemo, useRef, type MouseEvent } from "react";
import { useEvidenceRows, type EvidenceLine, type EvidenceRow, type Question } from "../../data/evidence";
import type { KeyRow } from "../../ui/keys";
import { useList } from "../../ui/useList";
import { HEADS, useInSight, useVirtual } from "../../ui/useVirtual";
import { useVocabulary } from "../../data/vocabulary";
import { claimsBy, toneOf, verdictOf } from "./questions";

const ROW = 30;
const COLUMNS =
  "grid-cols-[1.1rem_minmax(11.6rem,1.6fr)_minmax(5.2rem,0.8fr)_minmax(5rem,0.8fr)_minmax(7rem,1.1fr)_minmax(6.4rem,1fr)_minmax(4.6rem,0.6fr)_minmax(4.2rem,0.7fr)_minmax(10.4rem,1fr)] max-[1100px]:grid-cols-[1.1rem_minmax(8.2rem,1.6fr)_minmax(3.4rem,0.8fr)_minmax(4.3rem,0.8fr)_minmax(4.4rem,1.1fr)_minmax(4rem,1fr)_minmax(3.8rem,0.6fr)_minmax(3rem,0.7fr)_minmax(8.6rem,1fr)]";
const WIDTH = "min-w-[850px] max-[1100px]:min-w-[735px]";

/** One row per clip, one column per source, for one question; the verdict last. */
export function EvidenceList(props: {
  showId: number;
  rows: EvidenceLine[];
  question: Question;
  keys: KeyRow[];
  turn: (step: number) => void;
}) {
  const { rows, question } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const { sources } = useVocabulary();
  const view = useVirtual({ count: rows.length, scroller, height: () => ROW, heads: HEADS });
  const list = useList(rows, {
    title: "Evidence",
    page: () => Math.max(1, Math.floor((scroller.current?.clientHeight ?? ROW) / ROW) - 2),
    show: (index) => view.scrollToIndex(index),
    keys: [
      {
        does: "the question before or after",
        keys: { ArrowLeft: () => props.turn(-1), ArrowRight: () => props.turn(1) },
      },
      ...props.keys,
    ],
  });
  const items = view.getVirtualItems();
  const ids = useMemo(() => rows.map((row) => row.id), [rows]);
  const evidence = useEvidenceRows(props.showId, ids, items[0]?.index ?? 0, items.at(-1)?.index ?? 0);
  useEffect(() => {
    scroller.current?.focus({ preventScroll: true });
  }, []);
  useInSight(view, list.current);
  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label="Evidence"
      aria-multiselectable
      aria-rowcount={rows.length + 1}
      aria-colcount={sources.length + 3}
      aria-activedescendant={rows[list.current] ? `clip-${rows[list.current]?.id}` : undefined}
      onKeyDown={list.press}
      className="group h-full min-h-0 overflow-auto outline-none"
    >
      <div
        role="row"
        aria-rowindex={1}
        className={`sticky top-0 z-10 grid h-7 ${WIDTH} items-center gap-x-2 border-b border-hair bg-ground px-2 text-[12px] text-soft ${COLUMNS}`}
      >
        <span role="columnheader" aria-colindex={1} className="flex">
          <input
            type="checkbox"
            aria-label="Select all that are shown"
            className="accent-(--patina)"
            checked={rows.length > 0 && rows.every((row) => list.ids.has(row.id))}
            onChange={(event) => list.set(event.target.checked ? rows.map((row) => row.id) : [])}
          />
        </span>
        {["Clip", ...sources.map((source) => source.name), "Verdict"].map((name, i) => (
          <span key={name} role="columnheader" aria-colindex={i + 2}>
            {name}
          </span>
        ))}
      </div>
      {rows.length === 0 && (
        <div role="row" className="p-4 text-soft">
          <span role="gridcell">No clip fits this filter.</span>
        </div>
      )}
      <div style={{ height: view.getTotalSize() }} className={`relative ${WIDTH}`}>
        {items.map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          return (
            <Row
              key={row.id}
              line={row}
              row={evidence(row.id)}
              question={question}
              top={item.start}
              rowIndex={item.index + 2}
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
  line: EvidenceLine;
  row: EvidenceRow | undefined;
  question: Question;
  top: number;
  rowIndex: number;
  selected: boolean;
  current: boolean;
  onClick: (event: MouseEvent) => void;
  onToggle: () => void;
}) {
  const { line, row } = props;
  return (
    <div
      id={`clip-${line.id}`}
      role="row"
      aria-rowindex={props.rowIndex}
      aria-selected={props.selected}
      style={{ transform: `translateY(${props.top}px)`, height: ROW }}
      onClick={props.onClick}
      className={`absolute inset-x-0 grid cursor-default items-center gap-x-2 border-b border-hair px-2 select-none ${COLUMNS} ${
        props.selected ? "bg-patina-wash" : "hover:bg-sunk"
      } ${props.current ? "group-focus-visible:outline-2 group-focus-visible:-outline-offset-2 group-focus-visible:outline-patina" : ""}`}
    >
      <span role="gridcell" aria-colindex={1} className="flex">
        <input
          type="checkbox"
          tabIndex={props.current ? 0 : -1}
          className="accent-(--patina)"
          aria-label={`Select ${line.name}`}
          checked={props.selected}
          onClick={(event) => event.stopPropagation()}
          onChange={props.onToggle}
        />
      </span>
      <span role="rowheader" aria-colindex={2} className="flex min-w-0 items-baseline gap-1.5" title={line.path}>
        <span className="truncate font-medium">{line.name}</span>
        {row?.proxy_of && <span className="shrink-0 text-[12px] text-soft">proxy</span>}
        {row && row.troubles.length > 0 && !row.facts?.fault && (
          <span className="shrink-0 text-madder" title={row.troubles.join(" ")}>
            ▲<span className="sr-only"> {row.troubles.join(" ")}</span>
          </span>
        )}
      </span>
      {row ? (
        <Cells row={row} question={props.question} />
      ) : (
        <span role="gridcell" className="col-span-7 text-soft">
          …
        </span>
      )}
    </div>
  );
}

function Cells({ row, question }: { row: EvidenceRow; question: Question }) {
  const words = useVocabulary();
  if (!row.facts)
    return (
      <span role="gridcell" className="col-span-7 text-soft">
        analysing …
      </span>
    );
  if (row.facts.fault)
    return (
      <span
        role="gridcell"
        className={`col-span-7 truncate ${row.troubles.length ? "text-madder" : "text-soft"}`}
        title={row.facts.fault}
      >
        {row.troubles.length ? "✕" : "♫"} {row.facts.fault}
      </span>
    );
  const verdict = verdictOf(row, question);
  const state = words.certainty(verdict.state);
  return (
    <>
      {words.sources.map(({ source: key }, i) => {
        const claims = claimsBy(verdict, key);
        const looking = key === "picture" && row.look && ["waiting", "looking"].includes(row.look.state);
        return (
          <span
            key={key}
            role="gridcell"
            aria-colindex={i + 3}
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
      <span
        role="gridcell"
        aria-colindex={words.sources.length + 3}
        className="flex min-w-0 items-baseline justify-between gap-2"
        title={verdict.why}
      >
        <span className={`truncate font-mono text-[12.5px] ${verdict.state === "assumed" ? "italic" : "font-medium"}`}>
          {verdict.value === null ? "" : verdict.words}
        </span>
        <span className={`shrink-0 text-[12.5px] ${toneOf(state)}`}>
          <span aria-hidden className="font-mono text-[11px]">
            {state.shape}
          </span>{" "}
          {state.word}
        </span>
      </span>
    </>
  );
}

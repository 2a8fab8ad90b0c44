import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import type { Schemas } from "../../data/client";
import { Decimal, Number } from "../../ui/parts";

const ROW = 30;
const COLUMNS =
  "grid-cols-[minmax(11rem,1.5fr)_5.6rem_4.6rem_4.8rem_6.4rem_9.5rem_5.4rem_6.6rem_6.2rem_minmax(9rem,1.2fr)]";

/** What came in: the true rates, counts and flags of each file, and what is wrong with it. */
export function ClipTable({ clips }: { clips: Schemas["ClipRow"][] }) {
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: clips.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  return (
    <div ref={scroller} className="h-full overflow-auto" role="table" aria-label="Clips" aria-rowcount={clips.length}>
      <div
        role="row"
        className={`sticky top-0 z-10 grid h-8 min-w-[1080px] items-center gap-x-3 border-b border-hair bg-ground px-3 text-[12px] text-soft ${COLUMNS}`}
      >
        {[
          "Clip",
          "File rate",
          "Frames",
          "Length",
          "Raster",
          "Scan by its flags",
          "Timing",
          "Timecode",
          "Sound",
          "Trouble",
        ].map((name, i) => (
          <span
            key={name}
            role="columnheader"
            className={i >= 1 && i <= 3 ? `text-right ${i === 1 ? "pr-7" : ""}` : ""}
          >
            {name}
          </span>
        ))}
      </div>
      <div style={{ height: rows.getTotalSize() }} className="relative min-w-[1080px]">
        {rows.getVirtualItems().map((item) => {
          const clip = clips[item.index];
          if (!clip) return null;
          return (
            <div
              key={clip.id}
              role="row"
              style={{ transform: `translateY(${item.start}px)`, height: ROW }}
              className={`absolute inset-x-0 grid items-center gap-x-3 border-b border-hair px-3 hover:bg-sunk ${COLUMNS}`}
            >
              <Cells clip={clip} />
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Cells({ clip }: { clip: Schemas["ClipRow"] }) {
  const facts = clip.facts;
  const link = `/media/${encodeURIComponent(clip.root)}/${clip.path.split("/").map(encodeURIComponent).join("/")}`;
  return (
    <>
      <a
        role="cell"
        href={link}
        target="_blank"
        rel="noreferrer"
        className="truncate font-medium hover:text-patina"
        title={clip.path}
      >
        {clip.name}
      </a>
      {facts === null ? (
        <span role="cell" className="col-span-9 text-soft">
          being looked at …
        </span>
      ) : (
        <>
          <span role="cell">
            {facts.file_rate ? <Decimal text={facts.file_rate.spoken} title={facts.file_rate.exact} /> : <Dash />}
          </span>
          <Number className="text-right">{facts.frames || "—"}</Number>
          <Number className="text-right">{facts.length ?? "—"}</Number>
          <span role="cell" className="whitespace-nowrap">
            <Number>{facts.raster || "—"}</Number>
          </span>
          <span role="cell" className="truncate">
            {facts.fault ? "—" : facts.scan}
            {facts.pixel_aspect !== "1" && <span className="text-soft"> · pixels {facts.pixel_aspect}</span>}
          </span>
          <span
            role="cell"
            className={facts.timing === "variable" ? "text-brass" : ""}
            title={facts.measured_rate ?? ""}
          >
            {facts.fault ? "—" : facts.timing === "variable" ? "∿ uneven" : "even"}
          </span>
          <Number>{facts.timecode ?? "none"}</Number>
          <span role="cell" className="whitespace-nowrap">
            {facts.sound ? <Number>{facts.sound}</Number> : <span className="text-soft">none</span>}
          </span>
          <Trouble facts={facts} />
        </>
      )}
    </>
  );
}

function Trouble({ facts }: { facts: Schemas["FactsView"] }) {
  const words = [facts.fault, ...facts.remarks].filter(Boolean).join(" ");
  if (!words) return <span role="cell" />;
  return (
    <span role="cell" className="truncate text-madder" title={words}>
      {facts.fault ? "✕" : "▲"} {words}
    </span>
  );
}

const Dash = () => <span className="block text-right">—</span>;

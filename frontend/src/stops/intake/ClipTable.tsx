import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import type { Schemas } from "../../data/client";
import { Decimal, Number } from "../../ui/parts";

const ROW = 30;
const REMARK = 20;
const COLUMNS = "grid-cols-[minmax(12rem,1.6fr)_3.6rem_3rem_4rem_7rem_6.8rem_4rem_5.9rem_minmax(5.3rem,0.5fr)]";

/** What came in: the true rates, counts and flags of each file, and what is wrong with it. */
export function ClipTable({ clips }: { clips: Schemas["ClipRow"][] }) {
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: clips.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => (clips[index]?.facts?.remarks.length ? ROW + REMARK : ROW),
    getItemKey: (index) => `${clips[index]?.id} ${clips[index]?.facts?.remarks.length ?? 0}`,
    overscan: 12,
  });
  return (
    <div ref={scroller} className="h-full overflow-auto" role="table" aria-label="Clips" aria-rowcount={clips.length}>
      <div
        role="row"
        className={`sticky top-0 z-10 grid h-8 min-w-[860px] items-center gap-x-2.5 border-b border-hair bg-ground px-3 text-[12px] text-soft ${COLUMNS}`}
      >
        {[
          "Clip",
          "File rate",
          "Frames",
          "Length",
          "Raster, pixels",
          "Scan, by flag",
          "Timing",
          "Timecode",
          "Sound",
        ].map((name, i) => (
          <span
            key={name}
            role="columnheader"
            className={i >= 1 && i <= 3 ? `text-right ${i === 1 ? "pr-2" : ""}` : ""}
          >
            {name}
          </span>
        ))}
      </div>
      <div style={{ height: rows.getTotalSize() }} className="relative min-w-[860px]">
        {rows.getVirtualItems().map((item) => {
          const clip = clips[item.index];
          if (!clip) return null;
          return (
            <div
              key={clip.id}
              role="row"
              style={{ transform: `translateY(${item.start}px)`, height: item.size }}
              className="absolute inset-x-0 border-b border-hair px-3 hover:bg-sunk"
            >
              <div className={`grid h-[29px] items-center gap-x-2.5 ${COLUMNS}`}>
                <Cells clip={clip} />
              </div>
              {!!clip.facts?.remarks.length && (
                <p role="cell" className="truncate pl-4 text-[12.5px] text-madder" title={clip.facts.remarks.join(" ")}>
                  ▲ {clip.facts.remarks.join(" ")}
                </p>
              )}
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
      {facts === null || facts.fault ? (
        <span
          role="cell"
          className={`col-span-8 truncate ${facts ? "text-madder" : "text-soft"}`}
          title={facts?.fault ?? ""}
        >
          {facts ? `✕ ${facts.fault}` : "being looked at …"}
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
            {facts.pixel_aspect !== "1" && <Number className="text-soft"> {facts.pixel_aspect}</Number>}
          </span>
          <span role="cell" className="truncate">
            {facts.scan}
          </span>
          <span
            role="cell"
            className={facts.timing === "variable" ? "text-brass" : ""}
            title={facts.measured_rate ?? ""}
          >
            {facts.timing === "variable" ? "∿ uneven" : "even"}
          </span>
          <Number>{facts.timecode ?? "none"}</Number>
          <span role="cell" className="whitespace-nowrap">
            {facts.sound ? <Number>{facts.sound}</Number> : <span className="text-soft">none</span>}
          </span>
        </>
      )}
    </>
  );
}

const Dash = () => <span className="block text-right">—</span>;

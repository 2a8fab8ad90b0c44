import type { Schemas } from "../../data/client";
import { Glimpse } from "../../ui/Glimpse";
import { Number } from "../../ui/parts";

/** The shot that is selected: a small picture, and what its file is. */
export function Shot({ showId, row }: { showId: number; row: Schemas["ClipRow"] }) {
  const { facts } = row;
  if (!facts || facts.fault) return null;
  return (
    <div className="flex gap-2 border-b border-hair px-3 py-2">
      <Glimpse key={row.id} showId={showId} clipId={row.id} name={row.name} frames={facts.frames} width={144} />
      <p className="min-w-0 text-[12.5px] text-soft">
        <Number className="block">{facts.raster}</Number>
        <Number className="block">
          {facts.frames} frames, <span className="whitespace-nowrap">{facts.length}</span>
        </Number>
        <span className="block">{facts.depth}</span>
        {row.uses > 0 && (
          <span className="block" title="events of timelines">
            used {row.uses} ×: {row.used_in}
          </span>
        )}
        {facts.turn && <span className="block">turned {facts.turn}</span>}
      </p>
    </div>
  );
}

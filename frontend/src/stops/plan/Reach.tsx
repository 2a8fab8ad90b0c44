import { useState } from "react";
import { Button } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import type { Asked, Where } from "./decide";
import { PreviewTable, UseSums } from "./PreviewTable";

/** What a change reaches beyond the selection, and what to do about it: take all uses, some, or this one alone. */
export function Reach({ asked, settle }: { asked: Asked; settle: (where: Where | null) => void }) {
  const { preview } = asked;
  const [open, setOpen] = useState<number | null>(preview.uses[0]?.timeline_id ?? null);
  const [ticked, setTicked] = useState(() => new Set(preview.uses.map((use) => use.timeline_id)));
  const here = preview.uses.find((use) => use.planned_for);
  const some = ticked.size > 0 && ticked.size < preview.uses.length;
  const tick = (id: number) => {
    const next = new Set(ticked);
    if (!next.delete(id)) next.add(id);
    setTicked(next);
  };
  const events = preview.uses.reduce((sum, use) => sum + use.events, 0);
  const shown = `${events} ${events === 1 ? "event shows" : "events show"} other frames`;
  const [keeps, setKeeps] = useState(false);
  const where = (given: Where): Where => ({ ...given, ...(keeps ? { keeps_events: true } : {}) });
  const others = preview.elsewhere === 1 ? "one other use changes" : `${preview.elsewhere} other uses change`;
  return (
    <Sheet
      open
      wide
      close={() => settle(null)}
      title={`${preview.title}: ${preview.elsewhere ? others : events ? shown : "nothing else changes"}`}
      foot={
        <>
          <Button onClick={() => settle(null)}>Cancel</Button>
          <Button onClick={() => here && settle(where({ timelines: [here.timeline_id] }))}>
            Split off for {here?.timeline} alone
          </Button>
          <Button disabled={!some} onClick={() => settle(where({ timelines: [...ticked] }))}>
            {some ? `Only the ${ticked.size} ticked` : "Only those ticked"}
          </Button>
          <Button weight="main" onClick={() => settle(where({}))} autoFocus>
            Apply to all {preview.uses.length} {preview.uses.length === 1 ? "timeline" : "timelines"}
          </Button>
        </>
      }
    >
      <p className="px-4 pb-2 text-soft">
        Reading a clip at another rate acts on every timeline that uses it
        {preview.proxies > 0 ? `, and on ${preview.proxies === 1 ? "its proxy" : `${preview.proxies} proxies`}` : ""}.
        Split off: this timeline reads the clip differently; the others stay as they are.
      </p>
      {events > 0 && (
        <label className="flex items-center gap-2 px-4 pb-2">
          <input
            type="checkbox"
            className="accent-(--patina)"
            checked={keeps}
            onChange={(event) => setKeeps(event.target.checked)}
          />
          {events === 1 ? "The event that shows" : `The ${events} events that show`} other frames then{" "}
          {events === 1 ? "keeps its" : "keep their"} speed and reading
        </label>
      )}
      <ul className="px-4 pb-2" aria-label="Uses that move">
        {preview.uses.map((use) => (
          <li key={use.timeline_id} className="flex h-8 items-center gap-2 border-t border-hair">
            <input
              type="checkbox"
              className="accent-(--patina)"
              aria-label={`Take ${use.timeline}`}
              checked={ticked.has(use.timeline_id)}
              onChange={() => tick(use.timeline_id)}
            />
            <button
              type="button"
              aria-pressed={open === use.timeline_id}
              className={`w-28 truncate text-left font-medium hover:text-patina ${open === use.timeline_id ? "text-patina underline" : ""}`}
              onClick={() => setOpen(use.timeline_id)}
            >
              {use.timeline}
            </button>
            <UseSums use={use} />
          </li>
        ))}
      </ul>
      {preview.uses
        .filter((use) => use.timeline_id === open)
        .map((use) => (
          <PreviewTable
            key={use.timeline_id}
            label={`What moves on ${use.timeline}`}
            moves={use.moves}
            more={use.moved - use.moves.length}
          />
        ))}
    </Sheet>
  );
}

import type { Moment, MusicWork } from "./music";

const MOMENTS = 18;
const SHAPES: Record<Moment["kind"], string> = { start: "┣", stop: "┫", peak: "▴", turn: "◆", marker: "▼" };

/** The moments of the action, and markers, on the axis of the strip; one that is clicked is chosen. */
export function MomentsRow(props: { work: MusicWork; first: number; span: number; width: number }) {
  const { work, first, span, width } = props;
  const x = (place: number) => ((place - first + 0.5) / span) * width;
  const seen = work.moments.filter((one) => one.comes >= first && one.comes < first + span);
  return (
    <div
      className="relative border-t border-hair text-[11px] leading-4 text-soft"
      style={{ height: MOMENTS }}
      role="group"
      aria-label="Moments and markers"
    >
      {seen.length === 0 && <span className="absolute left-1">{work.noMoment}</span>}
      {seen.map((one, i) => {
        const on = one === work.chosen;
        const name = one.name || one.kind;
        const room = x(seen[i + 1]?.comes ?? first + span) - x(one.comes);
        return (
          <button
            key={`${one.frame} ${one.kind}`}
            type="button"
            aria-pressed={on}
            aria-label={`${name} at source frame ${one.frame}`}
            className={`absolute flex -translate-x-1.5 items-center gap-0.5 whitespace-nowrap ${on ? "z-10 bg-ground pr-1 font-semibold text-patina" : "text-ink"}`}
            style={{ left: x(one.comes) }}
            onClick={() => work.choose(on ? null : one)}
          >
            <span aria-hidden className="w-3 text-center">
              {SHAPES[one.kind]}
            </span>
            {(on || room > 22 + 6 * name.length) && name}
          </button>
        );
      })}
    </div>
  );
}

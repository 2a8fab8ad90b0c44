import type { LookProps } from "./props";

const WIDTH = 560;
const RISE = 26;

/** The pictures as they follow each other: a beat for each frame, a thread from a repeat to what it repeats. */
export function Rhythm({ dossier }: LookProps) {
  const picture = dossier.picture;
  if (!picture) return <p className="p-3 text-soft">The pictures have not been looked at yet.</p>;
  return (
    <div className="flex flex-col gap-2 p-3">
      {picture.blended && (
        <p className="text-madder">
          ✕ The fields are mixes of those of another standard. They cannot be taken apart cleanly; ask for the original.
        </p>
      )}
      <dl className="grid grid-cols-[8.5rem_1fr] gap-x-3 gap-y-0.5 text-[12.5px]">
        {picture.stretches.map((stretch) => (
          <div key={stretch.first_frame} className="contents">
            <dt className="font-mono text-soft tabular-nums">
              {stretch.first_frame} – {stretch.last_frame}
            </dt>
            <dd>{stretch.words}</dd>
          </div>
        ))}
      </dl>
      <p className="text-[12.5px]">
        {picture.repeats ?? "No frame repeats the one before it, as far as was looked."}{" "}
        {picture.cuts.length > 0 && <>Cuts at {picture.cuts.join(", ")}.</>}
      </p>
      {[0, 1].map((line) => (
        <Strip
          key={line}
          first={picture.new_from + line * 60}
          fresh={picture.new.slice(line * 60, line * 60 + 60)}
          cuts={picture.cuts}
        />
      ))}
      <p className="text-[12px] text-soft">● a new picture&ensp; ○ the picture before, again&ensp; │ a cut</p>
    </div>
  );
}

function Strip({ first, fresh, cuts }: { first: number; fresh: boolean[]; cuts: number[] }) {
  if (fresh.length === 0) return null;
  const step = WIDTH / 60;
  const origins = fresh.map((_, i) => Math.max(0, fresh.lastIndexOf(true, i)));
  return (
    <svg
      viewBox={`0 0 ${WIDTH + 40} ${RISE + 16}`}
      className="h-11 w-full max-w-[680px]"
      role="img"
      aria-label={`Frames ${first} to ${first + fresh.length - 1}: ${fresh.filter(Boolean).length} new pictures of ${fresh.length}`}
    >
      <text x={0} y={RISE - 4} className="fill-soft font-mono text-[10px]">
        {first}
      </text>
      {fresh.map((isNew, i) => {
        const origin = origins[i] ?? 0;
        const x = 36 + i * step;
        return (
          <g key={i}>
            {cuts.includes(first + i) && (
              <line
                x1={x - step / 2}
                x2={x - step / 2}
                y1={2}
                y2={RISE + 10}
                className="stroke-brass"
                strokeWidth={1.5}
              />
            )}
            {!isNew && (
              <path
                d={`M ${36 + origin * step} ${RISE - 10} Q ${(36 + origin * step + x) / 2} ${RISE + 12} ${x} ${RISE - 8}`}
                className="fill-none stroke-patina"
              />
            )}
            <circle
              cx={x}
              cy={RISE - 10}
              r={2.9}
              className={isNew ? "fill-ink" : "fill-none stroke-ink"}
              strokeWidth={1.1}
            />
          </g>
        );
      })}
    </svg>
  );
}

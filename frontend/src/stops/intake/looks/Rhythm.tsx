import type { LookProps } from "./props";

const WIDTH = 560;
const RISE = 26;

/** The pictures as they follow each other: a beat for each frame, a thread from a repeat to what it repeats. */
export function Rhythm({ dossier }: LookProps) {
  const picture = dossier.picture;
  if (!picture) return <p className="p-3 text-soft">The pictures have not been analysed yet.</p>;
  return (
    <div className="flex flex-col gap-2 p-3">
      {picture.blended && (
        <p className="text-madder">
          ✕ The fields are blended from another standard and cannot be separated cleanly. Ask for the original.
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
        {picture.repeats ?? "No repeated frames in what was analysed."}{" "}
        {picture.cuts.length > 0 && <>Cuts at {picture.cuts.join(", ")}.</>}
      </p>
      {[0, 1].map((line) => (
        <Strip
          key={line}
          first={picture.new_from + line * 60}
          fresh={picture.new.slice(line * 60, line * 60 + 60)}
          fields={picture.fields.slice(line * 60, line * 60 + 60).map(({ first, second }) => [first, second])}
          cuts={picture.cuts}
        />
      ))}
      <p className="text-[12px] text-soft">
        {picture.fields.length > 0
          ? "each column a frame, its first field above its second; a line joins the fields of one picture, ● and ○ by turns"
          : "● a new picture\u2002 ○ the picture before, again"}
        &ensp; │ a cut
      </p>
    </div>
  );
}

function Strip(props: { first: number; fresh: boolean[]; fields: number[][]; cuts: number[] }) {
  const { first, fresh, fields, cuts } = props;
  if (fresh.length === 0) return null;
  const step = WIDTH / 60;
  const origins = fresh.map((_, i) => Math.max(0, fresh.lastIndexOf(true, i)));
  return (
    <svg
      viewBox={`0 0 ${WIDTH + 40} ${RISE + 16}`}
      className="h-11 w-full max-w-[680px]"
      role="img"
      aria-label={`Frames ${first} to ${first + fresh.length - 1}: ${told(fresh, fields)}`}
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
            {fields[i]?.map((picture, second) => (
              <Field key={second} x={x} second={second === 1} picture={picture} fields={fields} at={i} step={step} />
            ))}
            {!fields.length && !isNew && (
              <path
                d={`M ${36 + origin * step} ${RISE - 10} Q ${(36 + origin * step + x) / 2} ${RISE + 12} ${x} ${RISE - 8}`}
                className="fill-none stroke-patina"
              />
            )}
            {!fields.length && (
              <circle
                cx={x}
                cy={RISE - 10}
                r={2.9}
                className={isNew ? "fill-ink" : "fill-none stroke-ink"}
                strokeWidth={1.1}
              />
            )}
          </g>
        );
      })}
    </svg>
  );
}

/** A field as a dot, and a line to the field after it where both come from one picture. */
function Field(props: { x: number; second: boolean; picture: number; fields: number[][]; at: number; step: number }) {
  const { x, second, picture, fields, at, step } = props;
  const y = second ? RISE + 2 : RISE - 16;
  const after = second ? fields[at + 1]?.[0] : fields[at]?.[1];
  const toX = second ? x + step : x;
  const toY = second ? RISE - 16 : RISE + 2;
  return (
    <>
      {after === picture && <line x1={x} y1={y} x2={toX} y2={toY} className="stroke-patina" strokeWidth={1.4} />}
      <circle
        cx={x}
        cy={y}
        r={2.7}
        className={picture % 2 ? "fill-ground stroke-ink" : "fill-ink stroke-ink"}
        strokeWidth={1.1}
      />
    </>
  );
}

/** What the strip shows, in words: for fields how many each picture is carried in. */
function told(fresh: boolean[], fields: number[][]): string {
  if (!fields.length) return `${fresh.filter(Boolean).length} new pictures of ${fresh.length}`;
  const counts = new Map<number, number>();
  for (const picture of fields.flat()) counts.set(picture, (counts.get(picture) ?? 0) + 1);
  return `pictures in ${[...counts.values()].join(", ")} fields`;
}

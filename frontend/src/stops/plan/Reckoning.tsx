import { useMemo } from "react";
import type { Schemas } from "../../data/client";
import { useReckoning } from "../../data/queries";
import { MeterStrip } from "../../meter/MeterStrip";
import { MarkWord } from "../../ui/marks";
import { Heading, Number } from "../../ui/parts";
import type { Decide } from "./decide";

/**
 * The arithmetic of the selection written out, and its alternatives side by side. Where nothing is selected, the
 * totals of all that the filter shows.
 */
export function Reckoning(props: {
  showId: number;
  selected: Schemas["ClipRow"][];
  shown: Schemas["ClipRow"][];
  decide: Decide;
}) {
  const { selected, shown, decide } = props;
  const any = selected.length > 0;
  const about = any ? selected : shown;
  const ids = useMemo(() => about.filter((row) => row.plan).map((row) => row.id), [about]);
  const reckoning = useReckoning(props.showId, ids);
  const only = selected.length === 1 ? selected[0] : undefined;
  const heading = only ? "This clip" : any ? `${selected.length} clips` : `All ${shown.length} shown`;
  return (
    <aside className="flex min-h-0 flex-col border-l border-hair bg-raised" aria-label="Arithmetic of the selection">
      <Heading aside={only && <span className="truncate text-[12.5px] text-soft">{only.name}</span>}>{heading}</Heading>
      <div className="min-h-0 flex-1 overflow-auto" aria-busy={reckoning.isFetching}>
        {reckoning.error && <p className="p-3 text-madder">▲ {reckoning.error.message}</p>}
        {reckoning.data && ids.length > 0 && (
          <>
            <Totals data={reckoning.data} />
            {any && <Alternatives data={reckoning.data} decide={decide} />}
            {any && <Equations data={reckoning.data} />}
          </>
        )}
        {only && <Marks row={only} />}
        {!any && (
          <p className="p-3 text-soft">
            Select clips to see their division written out and to decide on them. Arrow keys and Shift select; Ctrl A
            takes all that the filter shows.
          </p>
        )}
      </div>
    </aside>
  );
}

function Totals({ data }: { data: Schemas["Reckoning"] }) {
  return (
    <div className="border-b border-hair px-3 py-2">
      <div className="flex items-baseline justify-between">
        <span className="text-soft">length</span>
        <span className="whitespace-nowrap">
          <Number className="text-soft">{data.before.timecode} → </Number>
          <Number className="font-medium">{data.after.timecode}</Number>
        </span>
      </div>
      <div className="flex items-baseline justify-between text-[12.5px]">
        <span className="text-soft">
          <Number>{data.dropped}</Number> dropped, <Number>{data.repeated}</Number> repeated
        </span>
        <Number className="text-soft">
          {data.before.frames} → {data.after.frames} frames
        </Number>
      </div>
      {data.clips > 1 && <p className="text-[12.5px] text-soft">cadence: {data.kinds.join(", ")}</p>}
      {data.left_out > 0 && (
        <p className="text-[12.5px] text-madder">{data.left_out} cannot be planned and are left out.</p>
      )}
    </div>
  );
}

function Equations({ data }: { data: Schemas["Reckoning"] }) {
  return (
    <>
      {data.equations.map((equation) => (
        <Spelled key={equation.example} equation={equation} alone={data.equations.length === 1} />
      ))}
      {data.more_equations > 0 && (
        <p className="px-3 py-2 text-soft">and {data.more_equations} more different equations in the selection</p>
      )}
    </>
  );
}

function Alternatives({ data, decide }: { data: Schemas["Reckoning"]; decide: Decide }) {
  return (
    <ul className="border-b border-hair" aria-label="Alternatives">
      {data.alternatives.map((way) => (
        <li key={way.label}>
          <button
            type="button"
            onClick={() => decide({ intent: { intent: way.intent, value: way.value } })}
            aria-pressed={way.chosen}
            className={`grid w-full grid-cols-[5.2rem_1fr_96px] max-[1180px]:grid-cols-[5.2rem_1fr] items-center gap-x-2 border-t border-hair px-3 py-1 text-left first:border-t-0 hover:bg-patina-wash ${
              way.chosen ? "bg-patina-wash" : ""
            }`}
          >
            <span className={`font-medium ${way.chosen ? "text-patina" : ""}`}>
              {way.chosen ? "✓ " : ""}
              {way.label}
            </span>
            <Number className="text-right">{way.speed}</Number>
            <span className="row-span-2 max-[1180px]:hidden">
              <MeterStrip strip={way.strip} label={`${way.label}: ${way.kinds.join(", ")}`} />
            </span>
            <span className="truncate text-[12.5px] text-soft" title={way.kinds.join(", ")}>
              {way.kinds.join(", ")}
            </span>
            <Number className="text-right text-soft">{way.after.timecode}</Number>
          </button>
        </li>
      ))}
    </ul>
  );
}

function Spelled({ equation, alone }: { equation: Schemas["Equation"]; alone: boolean }) {
  return (
    <section className="border-b border-hair px-3 py-2" aria-label={`Equation of ${equation.example}`}>
      {!alone && (
        <p className="mb-1 font-medium">
          <Number>{equation.clips}</Number> {equation.clips === 1 ? "clip" : "clips"}, as {equation.example}
        </p>
      )}
      <dl className="grid grid-cols-[6.4rem_1fr] gap-y-1">
        {equation.lines.map((line) => (
          <div key={line.name} className="contents">
            <dt className="text-soft">{line.name}</dt>
            <dd>
              <span className="block text-[12.5px] text-soft">{line.words}</span>
              <span className="flex flex-wrap items-baseline gap-x-1.5">
                <Number>
                  {line.numbers} = <b className="font-medium">{line.result}</b>
                </Number>
                <span className="text-[12.5px] text-soft">{line.note}</span>
              </span>
            </dd>
          </div>
        ))}
      </dl>
      <div className="mt-2">
        <MeterStrip strip={equation.band} size="band" label={`Two seconds: ${equation.kind}, ${equation.pattern}`} />
        <p className="mt-0.5 flex justify-between text-[12.5px]">
          <span className="font-medium">{equation.kind}</span>
          <Number className="max-w-56 truncate text-soft">{equation.pattern}</Number>
        </p>
      </div>
      {equation.hiccup_every && (
        <p className="mt-1 text-[12.5px] text-brass">
          ≈ a hiccup every <Number>{equation.hiccup_every}</Number>
          {equation.hiccups.length === 0 ? ", none within this clip" : ": at "}
          <Number>
            {equation.hiccups
              .slice(0, 3)
              .map((spot) => spot.timecode)
              .join(", ")}
            {equation.hiccups.length > 3 ? " …" : ""}
          </Number>
        </p>
      )}
    </section>
  );
}

function Marks({ row }: { row: Schemas["ClipRow"] }) {
  if (row.marks.length === 0) return null;
  return (
    <section className="px-3 py-2" aria-label="Marks">
      <p className="mb-1 text-soft">marks</p>
      <div className="flex flex-wrap gap-x-3 gap-y-0.5 text-[12.5px]">
        {row.marks.map((mark) => (
          <MarkWord key={mark} mark={mark} />
        ))}
      </div>
      {[row.facts?.fault, ...(row.facts?.remarks ?? [])].filter(Boolean).map((sentence) => (
        <p key={sentence} className="mt-1 text-madder">
          {sentence}
        </p>
      ))}
    </section>
  );
}

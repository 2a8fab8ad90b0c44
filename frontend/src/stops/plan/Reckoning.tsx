import type { Schemas } from "../../data/client";
import { Part, Ways } from "./Ways";
import { useReckoning, useRow } from "../../data/queries";
import { MeterStrip } from "../../meter/MeterStrip";
import { Folders } from "../../ui/Folders";
import { MarkWord } from "../../ui/marks";
import { Button, Heading, Number } from "../../ui/parts";
import type { Decide } from "./decide";
import { signed } from "./PreviewTable";
import { Shot } from "./Shot";
import { Treatment } from "./Treatment";

/**
 * The arithmetic of the selection written out, and its alternatives side by side. Where nothing is selected, the
 * totals of all that the filter shows.
 */
export function Reckoning(props: {
  showId: number;
  selected: number[];
  shown: number[];
  decide: Decide;
  precise: (precision: Schemas["Precision"]) => void;
}) {
  const { selected, shown, decide } = props;
  const any = selected.length > 0;
  const ids = any ? selected : shown;
  const reckoning = useReckoning(props.showId, ids, !any);
  const only = useRow(props.showId, selected.length === 1 ? selected[0] : undefined).data;
  const one = selected.length === 1 && only?.id === selected[0] ? only : undefined;
  const heading = one ? one.name : any ? `${selected.length} clips` : `All ${shown.length} shown`;
  const data = ids.length > 0 ? reckoning.data : undefined;
  return (
    <aside className="flex min-h-0 flex-1 flex-col" aria-label="Arithmetic of the selection">
      <Heading>
        <span className="flex min-w-0 flex-1 items-baseline gap-2">
          <span className={one ? "max-w-3/4 shrink-0 truncate" : "truncate"}>{heading}</span>
          {one && <Folders path={one.path} />}
        </span>
      </Heading>
      <div className="min-h-0 flex-1 overflow-auto" aria-busy={reckoning.isFetching}>
        {reckoning.error && ids.length > 0 && <p className="p-3 text-madder">▲ {reckoning.error.message}</p>}
        {data && (
          <>
            {one && <Shot showId={props.showId} row={one} />}
            <Totals data={data} />
            {any && <Stacked data={data} />}
            {any && <Alternatives data={data} decide={decide} />}
            {any && <NearMisses data={data} decide={decide} />}
            {any && <Treatment parts={data.parts} decide={decide} />}
            {any && <Ways data={data} decide={decide} />}
            {any && <Equations data={data} />}
            {data.smooth && <Smooth smooth={data.smooth} />}
            {data.sound && <Sound sound={data.sound} />}
            <Rounding data={data} precise={props.precise} />
          </>
        )}
        {any && data && <Words tags={data.tags} note={data.note} decide={decide} />}
        {one && <Marks row={one} />}
        {!any && (
          <p className="p-3 text-soft">
            Select clips to see their arithmetic and to set their speeds. Use arrow keys with Shift; Ctrl A selects
            everything shown.
          </p>
        )}
      </div>
    </aside>
  );
}

function Stacked({ data }: { data: Schemas["Reckoning"] }) {
  return data.equations
    .filter((equation) => equation.stacked)
    .map((equation) => (
      <p key={equation.example} className="border-b border-hair bg-brass-wash px-3 py-1.5 text-brass">
        ▲ {equation.stacked}
        {data.clips > 1 && ` (${equation.clips} ${equation.clips === 1 ? "clip" : "clips"})`}
      </p>
    ));
}

function NearMisses({ data, decide }: { data: Schemas["Reckoning"]; decide: Decide }) {
  return data.near_misses.map((miss) => (
    <Part
      key={`${miss.factor} ${miss.read.exact}`}
      title={`near miss${data.clips > 1 ? ` of ${miss.clips}` : ""}: two clean alternatives`}
    >
      <div className="flex items-baseline gap-2">
        <Button
          disabled={data.clips !== miss.clips}
          title={data.clips !== miss.clips ? "Select only these clips to apply it" : undefined}
          onClick={() => decide(miss.take)}
        >
          Re-rate to {miss.read.spoken}
        </Button>
        <span className="text-[12.5px]">
          <Number>× {miss.factor}</Number>: {miss.kind}, <Number>{miss.after.frames}</Number> frames
        </span>
      </div>
      <p className="mt-0.5 text-[12.5px] text-soft">
        Sound follows, {miss.cents}; left alone it drifts {miss.drift}.
      </p>
      <p className="mt-1 text-[12.5px] text-soft">
        Or keep it:{" "}
        {miss.hiccup_count === 0
          ? "no hiccup within"
          : `${miss.hiccup_count} ${miss.hiccup_count === 1 ? "hiccup" : "hiccups"}`}
        , one every {miss.hiccup_every}; sound stays {miss.as_it_is}.
      </p>
    </Part>
  ));
}

function Smooth({ smooth }: { smooth: Schemas["SmoothView"] }) {
  return (
    <Part title="slowest smooth speed">
      <p className="text-[12.5px]">
        Down to <Number>{smooth.floor_speed}</Number>, <Number>{smooth.floor_pace}</Number> of real time. Shutter at
        most <Number>{smooth.shutter}</Number>.
      </p>
      {!smooth.smooth && (
        <p className="text-[12.5px] text-brass">
          ▲ This pace would have needed <Number>{smooth.needed}</Number> frames a second, shutter at most{" "}
          <Number>{smooth.needed_shutter}</Number>; frames repeat or are made.
        </p>
      )}
    </Part>
  );
}

function Sound({ sound }: { sound: Schemas["SoundView"] }) {
  return (
    <Part title="sound">
      <p className="text-[12.5px]">
        {sound.words}; runs at <Number>{sound.factor}</Number> of the file, <Number>{sound.cents}</Number>
        {sound.drift && (
          <>
            . Left at its own speed it is out by <Number>{sound.drift}</Number>
          </>
        )}
        .
      </p>
    </Part>
  );
}

function Rounding(props: { data: Schemas["Reckoning"]; precise: (precision: Schemas["Precision"]) => void }) {
  return (
    <Part title="rounding in the receiving system">
      <ul>
        {props.data.rounding.map((one) => (
          <li key={one.precision} className="flex items-baseline gap-2 text-[12.5px]">
            <button
              type="button"
              aria-pressed={one.chosen}
              title={one.chosen ? "set by the house rules" : "make this the house rule"}
              className={`w-34 text-left hover:text-patina ${one.chosen ? "font-medium text-patina" : ""}`}
              onClick={() => props.precise(one.precision)}
            >
              {one.chosen ? "✓ " : ""}
              {one.label}
            </button>
            {props.data.clips === 1 && <Number className="text-right whitespace-nowrap">{one.number}</Number>}
            <span className={`ml-auto whitespace-nowrap ${one.clips_off ? "text-brass" : "text-soft"}`}>
              {one.clips_off === 0
                ? "exact in length"
                : props.data.clips === 1
                  ? `${signed(one.worst)} frames at the end`
                  : `${one.clips_off} off, worst ${signed(one.worst)}`}
            </span>
          </li>
        ))}
      </ul>
    </Part>
  );
}

function Words({ tags, note, decide }: { tags: string[]; note: string | null; decide: Decide }) {
  if (tags.length === 0 && !note) return null;
  return (
    <Part title="tags and note">
      {tags.length > 0 && (
        <p className="flex flex-wrap gap-1.5">
          {tags.map((tag) => (
            <span key={tag} className="border border-hair px-1.5">
              {tag}
              <button
                type="button"
                className="ml-1 text-soft hover:text-madder"
                aria-label={`Take the tag ${tag} off`}
                onClick={() => decide({ untag: tag })}
              >
                ×
              </button>
            </span>
          ))}
        </p>
      )}
      {note && <p className="mt-1 whitespace-pre-wrap">{note}</p>}
    </Part>
  );
}

function Totals({ data }: { data: Schemas["Reckoning"] }) {
  return (
    <div className="border-b border-hair px-3 py-2">
      <div className="flex items-baseline justify-between gap-x-3">
        <span className="text-soft">length</span>
        <span className="whitespace-nowrap">
          <Number className="text-soft">{data.before.timecode} → </Number>
          <Number className="font-medium">{data.after.timecode}</Number>
        </span>
      </div>
      <div className="flex flex-wrap items-baseline justify-between gap-x-3 text-[12.5px]">
        <span className="text-soft">
          <Number>{data.dropped}</Number> dropped, <Number>{data.repeated}</Number> repeated
          {data.made > 0 && (
            <>
              , <Number>{data.made}</Number> made of several
            </>
          )}
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
            onClick={() => decide(way.take)}
            aria-pressed={way.chosen}
            className={`grid w-full grid-cols-[minmax(0,1fr)_96px] items-center gap-x-2 max-[1180px]:grid-cols-1 border-t border-hair px-3 py-1 text-left first:border-t-0 hover:bg-patina-wash ${
              way.chosen ? "bg-patina-wash" : ""
            }`}
          >
            <span className="flex flex-wrap items-baseline gap-x-2">
              <span className={`font-medium ${way.chosen ? "text-patina" : ""}`}>
                {way.chosen ? "✓ " : ""}
                {way.label}
              </span>
              <Number className="ml-auto whitespace-nowrap">{way.speed}</Number>
            </span>
            <span className="row-span-2 max-[1180px]:hidden">
              <MeterStrip strip={way.strip} label={`${way.label}: ${way.kinds.join(", ")}`} />
            </span>
            <span className="flex flex-wrap items-baseline gap-x-2 text-soft">
              <span className="text-[12.5px]">{way.kinds.join(", ")}</span>
              <Number className="ml-auto">{way.after.timecode}</Number>
            </span>
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
      {equation.hiccup_every && <Hiccups equation={equation} />}
    </section>
  );
}

const FIRST_SPOTS = 3;

/** Where a near miss steps out of its rhythm: the first spots at once, all of them when opened. */
function Hiccups({ equation }: { equation: Schemas["Equation"] }) {
  const spots = equation.hiccups.map((spot) => spot.timecode);
  const said = `≈ a hiccup every ${equation.hiccup_every}`;
  if (spots.length <= FIRST_SPOTS)
    return (
      <p className="mt-1 text-[12.5px] text-brass">
        {said}
        {spots.length === 0 ? ", none within this clip" : ": at "}
        <Number>{spots.join(", ")}</Number>
      </p>
    );
  const more = equation.hiccup_count - spots.length;
  return (
    <details className="mt-1 text-[12.5px] text-brass">
      <summary>
        {said}: <Number>{equation.hiccup_count}</Number>, first at{" "}
        <Number>{spots.slice(0, FIRST_SPOTS).join(", ")}</Number>
      </summary>
      <Number className="block leading-5">
        {spots.join(", ")}
        {more > 0 && ` and ${more} more`}
      </Number>
    </details>
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

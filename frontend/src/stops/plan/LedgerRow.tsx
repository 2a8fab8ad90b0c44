import type { CSSProperties, MouseEvent } from "react";
import type { Schemas } from "../../data/client";
import { MeterStrip } from "../../meter/MeterStrip";
import { MarkWord } from "../../ui/marks";
import { Decimal, Number } from "../../ui/parts";

export const LEDGER_COLUMNS =
  "grid-cols-[16px_minmax(10.9rem,1.4fr)_3.5rem_3.5rem_3.5rem_5.2rem_4.4rem_96px_5.8rem_minmax(6.7rem,0.5fr)]";

export const LEDGER_HEADS = [
  { name: "Clip", align: "" },
  { name: "Shot", align: "text-right pr-[2.1rem]" },
  { name: "File", align: "text-right pr-[2.1rem]" },
  { name: "Read", align: "text-right pr-[2.1rem]" },
  { name: "Decision", align: "" },
  { name: "Speed", align: "text-right" },
  { name: "Meter", align: "" },
  { name: "Frames", align: "text-right" },
  { name: "Marks", align: "" },
];

/** One clip in the ledger. */
export function LedgerRow(props: {
  row: Schemas["ClipRow"];
  style: CSSProperties;
  selected: boolean;
  current: boolean;
  onClick: (event: MouseEvent) => void;
  onToggle: () => void;
}) {
  const { row, selected, current } = props;
  const plan = row.plan;
  return (
    <div
      id={`clip-${row.id}`}
      role="row"
      aria-selected={selected}
      aria-label={row.name}
      style={props.style}
      onClick={props.onClick}
      className={`absolute inset-x-0 grid cursor-default items-center gap-x-1.5 border-b border-hair px-2 select-none ${LEDGER_COLUMNS} ${
        selected ? "bg-patina-wash" : "hover:bg-sunk"
      } ${current ? "group-focus-visible:outline-2 group-focus-visible:-outline-offset-2 group-focus-visible:outline-patina" : ""}`}
    >
      <input
        type="checkbox"
        tabIndex={-1}
        className="accent-(--patina)"
        aria-label={`Select ${row.name}`}
        checked={selected}
        onClick={(event) => event.stopPropagation()}
        onChange={props.onToggle}
      />
      <span role="gridcell" className="truncate font-medium" title={row.path}>
        {row.name}
      </span>
      {row.facts === null ? (
        <span role="gridcell" className="col-span-8 text-soft">
          being looked at …
        </span>
      ) : (
        <>
          <Rate
            rate={row.shot}
            strong={row.shot_state === "settled" || row.shot_state === "agreed"}
            note={SHOT_NOTES[row.shot_state]}
          />
          <Rate rate={row.facts.file_rate} />
          <Rate rate={row.read} strong={row.rerated} note={row.rerated ? "re-rated" : "as the file says"} />
          <span role="gridcell" className={`truncate ${row.intent ? "" : "text-soft italic"}`}>
            {plan ? row.intent_words : ""}
          </span>
          {plan ? (
            <Planned plan={plan} />
          ) : (
            <span role="gridcell" className="col-span-4 truncate text-madder" title={row.without_plan ?? ""}>
              ✕ {row.without_plan}
            </span>
          )}
          <span role="gridcell" className={`gap-2 overflow-hidden text-[12.5px] ${plan ? "flex" : "hidden"}`}>
            {notable(row.marks).map((mark) => (
              <MarkWord key={mark} mark={mark} />
            ))}
          </span>
        </>
      )}
    </div>
  );
}

const SHOT_NOTES: Record<Schemas["State"], string> = {
  settled: "settled by a person",
  agreed: "reported or measured",
  assumed: "only assumed",
  disputed: "disputed: see Intake",
  unknown: "not known",
};

function Planned({ plan }: { plan: Schemas["PlanView"] }) {
  const rhythm = `${plan.kind}: ${plan.pattern}`;
  const unchanged = plan.before.frames === plan.after.frames;
  return (
    <>
      <span
        role="gridcell"
        className="text-right whitespace-nowrap"
        title={`${plan.speed.exact}, pace ${plan.pace.percent}`}
      >
        <Number>{plan.speed.percent}</Number>
      </span>
      <span role="gridcell" title={`${rhythm}; ${plan.dropped} dropped, ${plan.repeated} repeated`}>
        <MeterStrip strip={plan.strip} label={rhythm} />
      </span>
      <span
        role="gridcell"
        className="text-right whitespace-nowrap"
        title={`${plan.before.timecode} → ${plan.after.timecode}`}
      >
        <Number className="text-soft">{unchanged ? "" : `${plan.before.frames} → `}</Number>
        <Number>{plan.after.frames}</Number>
      </span>
    </>
  );
}

function Rate({
  rate,
  strong = false,
  note = "",
}: {
  rate: Schemas["RateView"] | null;
  strong?: boolean;
  note?: string;
}) {
  return (
    <span
      role="gridcell"
      className={strong ? "font-semibold text-patina underline decoration-dotted underline-offset-2" : ""}
    >
      {rate ? (
        <Decimal text={rate.spoken} title={`${rate.exact} ${note}`.trim()} />
      ) : (
        <span className="block text-right">—</span>
      )}
    </span>
  );
}

/** The ledger shows what asks for attention; what its other columns say already is left to the panel. */
function notable(marks: Schemas["Mark"][]): Schemas["Mark"][] {
  const said = new Set<Schemas["Mark"]>(["undecided", "repeats", "silent", "fault", "unconfirmed", "film"]);
  const judging = (["odd", "near-miss", "remark", "disputed"] as const).some((mark) => marks.includes(mark));
  return marks.filter((mark) => !said.has(mark) && !(mark === "off-rate" && judging));
}

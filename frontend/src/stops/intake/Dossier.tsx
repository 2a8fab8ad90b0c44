import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react";
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../../data/client";
import { useDossier, useLooking, useSettling, type EvidenceRow, type Question } from "../../data/evidence";
import { Folders } from "../../ui/Folders";
import { Glimpse } from "../../ui/Glimpse";
import { Button, fieldLook, Number, Progress } from "../../ui/parts";
import { LOOK_KEYS, LOOKS, type LookKey } from "./looks/looks";
import { useVocabulary } from "../../data/vocabulary";
import { toneOf } from "./questions";

/** All that is known about one clip: every question with what speaks to it, and the evidence itself to look at. */
export function Dossier(props: {
  showId: number;
  row: EvidenceRow;
  question: Question;
  ask: (question: Question) => void;
  look: LookKey;
  show: (look: LookKey) => void;
  overruling: boolean;
  overrule: (on: boolean) => void;
}) {
  const { showId, row } = props;
  const dossier = useDossier(showId, row.id);
  const { again } = useLooking(showId);
  return (
    <section
      className="grid h-full min-h-0 grid-cols-[minmax(24rem,1fr)_minmax(0,1.15fr)] border-t border-hair"
      aria-label={`Evidence about ${row.name}`}
    >
      <div className="flex min-h-0 flex-col border-r border-hair">
        <div className="flex h-8 shrink-0 items-baseline gap-2 border-b border-hair px-3 pt-1.5">
          <h2 className="max-w-1/2 shrink-0 truncate text-[13px] font-semibold">{row.name}</h2>
          <Folders path={row.path} />
          {row.proxy_of && <span className="truncate text-[12.5px] text-soft">proxy of {row.proxy_of}</span>}
          {row.facts && !row.facts.fault && (
            <Number className="ml-auto shrink-0 text-soft">
              {row.facts.frames} frames, {row.facts.raster}
              {row.facts.turn && `, turned ${row.facts.turn}`}
            </Number>
          )}
        </div>
        <div className="min-h-0 flex-1 overflow-auto">
          {row.facts && !row.facts.fault && (
            <div className="float-right m-1.5">
              <Glimpse
                key={row.id}
                showId={showId}
                clipId={row.id}
                name={row.name}
                frames={row.facts.frames}
                width={128}
              />
            </div>
          )}
          {row.troubles.map((trouble) => (
            <p key={trouble} className="border-b border-hair px-3 py-1 text-[12.5px] text-madder">
              ▲ {trouble}
            </p>
          ))}
          {row.replaced && (
            <p className="border-b border-hair px-3 py-1">
              <Button weight="main" disabled={again.isPending} onClick={() => again.mutate([row.id])}>
                Analyse again: {row.name}
              </Button>
            </p>
          )}
          {row.verdicts.map((verdict) => (
            <VerdictLine
              key={verdict.question}
              showId={showId}
              row={row}
              verdict={verdict}
              open={verdict.question === props.question}
              choose={() => props.ask(verdict.question)}
              overruling={props.overruling && verdict.question === props.question}
              overrule={props.overrule}
            />
          ))}
        </div>
        <LookState showId={showId} row={row} picture={dossier.data?.picture ?? null} />
      </div>
      <TabGroup
        selectedIndex={LOOK_KEYS.indexOf(props.look)}
        onChange={(index) => props.show(LOOK_KEYS[index] ?? "rhythm")}
        className="flex min-h-0 min-w-0 flex-col"
      >
        <TabList
          className="flex min-h-8 shrink-0 flex-wrap items-center gap-0.5 border-b border-hair px-2"
          aria-label="Looks"
        >
          {LOOK_KEYS.map((key) => (
            <Tab
              key={key}
              className="whitespace-nowrap h-6 px-2 text-patina not-data-selected:hover:bg-sunk data-selected:bg-patina-wash data-selected:font-medium data-selected:text-ink"
            >
              {LOOKS[key].name}
            </Tab>
          ))}
        </TabList>
        <TabPanels className="min-h-0 flex-1 overflow-auto">
          {LOOK_KEYS.map((key) => {
            const Look = LOOKS[key].view;
            return (
              <TabPanel key={key} className="h-full" tabIndex={-1}>
                {!dossier.data ? (
                  <p className="p-3 text-soft">{dossier.error?.message ?? "Reading the evidence …"}</p>
                ) : row.facts && (row.facts.fault || dossier.data.frames < 1) ? (
                  <p className="p-3 text-soft">There are no pictures to look at.</p>
                ) : (
                  <Look key={row.id} showId={showId} row={row} dossier={dossier.data} />
                )}
              </TabPanel>
            );
          })}
        </TabPanels>
      </TabGroup>
    </section>
  );
}

function VerdictLine(props: {
  showId: number;
  row: EvidenceRow;
  verdict: Schemas["VerdictView"];
  open: boolean;
  choose: () => void;
  overruling: boolean;
  overrule: (on: boolean) => void;
}) {
  const { row, verdict } = props;
  const { settle, withdraw } = useSettling(props.showId);
  const words = useVocabulary();
  const { name } = words.question(verdict.question);
  const state = words.certainty(verdict.state);
  const one = { rows: [row], question: verdict.question };
  return (
    <div className={`border-b border-hair px-3 py-1 ${props.open ? "bg-sunk" : ""}`}>
      <div className="grid grid-cols-[5.4rem_1fr_auto] items-baseline gap-2">
        <button type="button" className="text-left text-soft hover:text-patina" onClick={props.choose}>
          {name}
        </button>
        <span className={`truncate font-mono text-[12.5px] ${verdict.state === "assumed" ? "italic" : "font-medium"}`}>
          {verdict.value === null ? "—" : verdict.words}
        </span>
        <span className={`text-[12.5px] ${toneOf(state)}`}>
          <span aria-hidden className="font-mono text-[11px]">
            {state.shape}
          </span>{" "}
          {state.word}
        </span>
      </div>
      {props.open && (
        <>
          <p className="pt-0.5 text-[12.5px] text-soft">{verdict.why}</p>
          {props.overruling ? (
            <Overrule {...props} done={() => props.overrule(false)} name={name} />
          ) : (
            <div className="flex gap-1 pt-1">
              {verdict.state === "settled" ? (
                <Button onClick={() => withdraw.mutate(one)}>Leave it to the evidence</Button>
              ) : (
                <Button
                  weight={verdict.value === null ? "plain" : "main"}
                  disabled={verdict.value === null}
                  onClick={() => settle.mutate(one)}
                >
                  {verdict.value === null ? "Nothing to confirm" : `Confirm ${verdict.words}`}
                </Button>
              )}
              <Button onClick={() => props.overrule(true)}>Overrule…</Button>
            </div>
          )}
        </>
      )}
    </div>
  );
}

/** Say what it is instead, and why; for every clip of `rows`. */
export function Overrule(props: {
  showId: number;
  row: EvidenceRow;
  verdict: Schemas["VerdictView"];
  name: string;
  done: () => void;
}) {
  const { settle } = useSettling(props.showId);
  const first = useRef<HTMLInputElement & HTMLSelectElement>(null);
  const [value, setValue] = useState("");
  const [reason, setReason] = useState("");
  const question = props.verdict.question;
  const { answers } = useVocabulary().question(question);
  useEffect(() => first.current?.focus(), []);
  const send = () => settle.mutate({ rows: [props.row], question, value, reason }, { onSuccess: () => props.done() });
  return (
    <form
      className="flex items-center gap-1 pt-1"
      onSubmit={(event) => {
        event.preventDefault();
        send();
      }}
      onKeyDown={(event) => event.key === "Escape" && props.done()}
    >
      {answers.length ? (
        <select
          ref={first}
          aria-label={`${props.name} is`}
          className={`${fieldLook} !w-36`}
          value={value}
          onChange={(event) => setValue(event.target.value)}
        >
          <option value="">choose …</option>
          {answers.map((answer) => (
            <option key={answer.text} value={answer.text}>
              {answer.label}
            </option>
          ))}
        </select>
      ) : (
        <input
          ref={first}
          aria-label={`${props.name} is`}
          className={`${fieldLook} !w-28 font-mono`}
          placeholder={question === "repeats" ? "none, or 18" : "like 150"}
          value={value}
          onChange={(event) => setValue(event.target.value)}
        />
      )}
      <input
        aria-label="Reason"
        className={fieldLook}
        placeholder="why, if you like"
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Button type="submit" weight="main" disabled={!value || settle.isPending}>
        Settle
      </Button>
      <Button onClick={props.done}>Not now</Button>
    </form>
  );
}

function LookState({
  showId,
  row,
  picture,
}: {
  showId: number;
  row: EvidenceRow;
  picture: Schemas["PictureView"] | null;
}) {
  const { whole, stop } = useLooking(showId);
  const look = row.look;
  if (!look || row.facts?.fault) return null;
  const busy = look.state === "waiting" || look.state === "looking";
  return (
    <div
      className="flex h-9 shrink-0 items-center gap-2 border-t border-hair px-3 text-[12.5px] text-soft"
      role="status"
    >
      {busy ? (
        <>
          <span className="whitespace-nowrap">
            looking at pictures <Number>{look.done_frames}</Number>
            {look.total_frames > 0 && (
              <>
                {" "}
                of <Number>{look.total_frames}</Number>
              </>
            )}
          </span>
          <Progress done={look.done_frames} of={look.total_frames || 1} label="Frames analysed" />
          <Button onClick={() => stop.mutate([row.id])}>Stop</Button>
        </>
      ) : (
        <>
          <span className="truncate">
            {look.fault ??
              (picture
                ? `${picture.examined} of ${row.frames} frames analysed${picture.whole ? ", all of them" : ", evenly spaced"}`
                : "pictures not analysed")}
          </span>
          {!picture?.whole && (
            <Button className="ml-auto" onClick={() => whole.mutate([row.id])}>
              Analyse every frame
            </Button>
          )}
        </>
      )}
    </div>
  );
}

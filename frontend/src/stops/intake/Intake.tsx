import { FolderPlus } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type DragEvent } from "react";
import { useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../data/client";
import { useEvidence, useEvidenceRows, useSettling, type EvidenceLine, type Question } from "../../data/evidence";
import { useAct, useDeliveries, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { Button, Empty, fieldLook, Number, Progress, Waiting } from "../../ui/parts";
import { BringIn } from "./BringIn";
import { Dossier } from "./Dossier";
import { EvidenceList } from "./EvidenceList";
import { LOOKS, type LookKey } from "./looks/looks";
import { useVocabulary } from "../../data/vocabulary";
import { FILTERS } from "./questions";
import { Reports } from "./Reports";
import { useUpload } from "./upload";

/** Intake: deliveries come in, and what is true of each clip is found out and settled. */
export function Intake() {
  const showId = useShowId();
  const deliveries = useDeliveries(showId);
  const evidence = useEvidence(showId);
  const selection = useSelection();
  const settling = useSettling(showId);
  const { questions } = useVocabulary();
  const [search, setSearch] = useSearchParams();
  const [over, setOver] = useState(false);
  const [overruling, setOverruling] = useState(false);
  const finder = useRef<HTMLInputElement>(null);
  const upload = useUpload(showId);
  const delivery = search.get("delivery");
  const question = questions.find((q) => q.question === search.get("ask"))?.question ?? "shot_rate";
  const asking = useRef(question);
  const stepped = useRef(new Set<Question>());
  useEffect(() => {
    if (question === asking.current) stepped.current.clear();
    else if (!stepped.current.has(question)) asking.current = question;
  }, [question]);
  const filter = search.get("show") ?? "all";
  const look = (search.get("look") ?? "rhythm") as LookKey;
  const words = (search.get("find") ?? "").toLowerCase();
  const put = (key: string, value: string | null) =>
    setSearch(
      (now) => {
        if (value) now.set(key, value);
        else now.delete(key);
        return now;
      },
      { replace: true },
    );
  const all = useMemo(() => evidence.data?.clips ?? [], [evidence.data]);
  const inDelivery = useMemo(
    () => all.filter((row) => delivery === null || String(row.delivery_id) === delivery),
    [all, delivery],
  );
  const rows = useMemo(() => {
    const holds = FILTERS.find((f) => f.key === filter)?.holds ?? (() => true);
    return inDelivery.filter(
      (row) => (words === "" || row.path.toLowerCase().includes(words)) && (!row.seen || holds(row, question)),
    );
  }, [inDelivery, filter, question, words]);
  const selected = useMemo(() => all.filter((row) => selection.ids.has(row.id)), [all, selection.ids]);
  const one = selected.length === 1 ? selected[0] : undefined;
  const opened = useEvidenceRows(showId, one ? [one.id] : [], 0, 0)(one?.id ?? 0);

  if (deliveries.isPending || evidence.isPending)
    return <Waiting what="Reading the evidence" why={evidence.failureReason ?? deliveries.failureReason} />;
  if (deliveries.error && !deliveries.data)
    return <Empty title="The deliveries cannot be read.">{deliveries.error.message}</Empty>;
  if (evidence.error && !evidence.data)
    return <Empty title="The evidence cannot be read.">{evidence.error.message}</Empty>;
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const files = [...event.dataTransfer.files];
    if (files.length) upload.mutate(files);
  };
  const turn = (step: number) => {
    const at = questions.findIndex((q) => q.question === asking.current);
    asking.current = questions[(at + step + questions.length) % questions.length]?.question ?? question;
    stepped.current.add(asking.current);
    put("ask", asking.current);
  };
  const asked = questions.find((q) => q.question === question)?.name.toLowerCase() ?? "";
  const told = selected.filter((row) => row.usable);
  const confirm = () => told.length && settling.settle.mutate({ rows: told, question });
  const confirmAll = () => told.length && settling.confirmAll.mutate(told);
  const openDossier = (key: Question) => put("ask", key);

  return (
    <div
      className="relative grid h-full grid-cols-[212px_minmax(0,1fr)] max-[1100px]:grid-cols-[168px_minmax(0,1fr)] min-[1700px]:grid-cols-[260px_minmax(0,1fr)]"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={drop}
    >
      <section className="flex min-h-0 flex-col border-r border-hair" aria-label="Deliveries">
        <div className="flex h-9 shrink-0 items-center border-b border-hair px-2">
          <Button weight="main" className="w-full justify-center" onClick={() => put("bring", "1")}>
            <FolderPlus size={14} aria-hidden /> Import footage
          </Button>
        </div>
        <ul className="min-h-0 flex-1 overflow-auto">
          {deliveries.data.length > 1 && (
            <li>
              <button
                type="button"
                onClick={() => put("delivery", null)}
                aria-current={delivery === null}
                className={`flex h-8 w-full items-center border-b border-hair px-3 ${delivery === null ? "bg-patina-wash font-medium" : "hover:bg-sunk"}`}
              >
                All deliveries
              </button>
            </li>
          )}
          {deliveries.data.map((each) => (
            <DeliveryItem
              key={each.id}
              showId={showId}
              delivery={each}
              chosen={String(each.id) === delivery}
              choose={() => put("delivery", String(each.id))}
            />
          ))}
        </ul>
        <Reports showId={showId} />
        <p className="border-t border-hair px-3 py-1.5 text-[12px] text-soft">
          {upload.isPending ? "Receiving the dropped files …" : "Drop files anywhere. Originals are never changed."}
        </p>
      </section>
      {deliveries.data.length === 0 ? (
        <Empty title="No footage yet.">
          <p className="mb-3">
            Import a folder, a card or a roll. Every file is opened and analysed; originals are never changed.
          </p>
          <Button weight="main" onClick={() => put("bring", "1")}>
            <FolderPlus size={14} aria-hidden /> Import footage
          </Button>
        </Empty>
      ) : (
        <section
          className={`grid min-h-0 min-w-0 ${one ? "grid-rows-[auto_minmax(7rem,1fr)_auto_minmax(18.5rem,46%)]" : "grid-rows-[auto_minmax(0,1fr)_auto]"}`}
          aria-label="Clips that came in"
        >
          <div className="flex flex-wrap items-center gap-x-1 border-b border-hair px-2 py-1">
            <div className="flex" role="group" aria-label="Question">
              {questions.map(({ question: key, name }) => {
                const open = inDelivery.filter((row) => row.disputed.includes(key)).length;
                return (
                  <button
                    key={key}
                    type="button"
                    aria-pressed={key === question}
                    onClick={() => put("ask", key)}
                    className={`h-7 px-2 whitespace-nowrap ${key === question ? "border-b-2 border-patina font-medium" : "text-patina hover:bg-sunk"}`}
                  >
                    {name}
                    {open > 0 && (
                      <span className="ml-1 text-[12px] text-brass">
                        ≢{open}
                        <span className="sr-only"> disputed</span>
                      </span>
                    )}
                  </button>
                );
              })}
            </div>
            <div className="ml-auto flex items-center gap-1">
              <select
                aria-label="Show"
                className={`${fieldLook} !w-40`}
                value={filter}
                onChange={(event) => put("show", event.target.value === "all" ? null : event.target.value)}
              >
                {FILTERS.map(({ key, name, holds }) => (
                  <option key={key} value={key}>
                    {name} ({inDelivery.filter((row) => row.seen && holds(row, question)).length})
                  </option>
                ))}
              </select>
              <input
                ref={finder}
                aria-label="Find clips"
                placeholder="find"
                className={`${fieldLook} !w-28`}
                value={search.get("find") ?? ""}
                onChange={(event) => put("find", event.target.value)}
              />
            </div>
          </div>
          <EvidenceList
            showId={showId}
            rows={rows}
            question={question}
            turn={turn}
            keys={[
              { does: "confirm the verdict on this question", keys: { Enter: confirm } },
              { does: "confirm all that agree", keys: { "+": confirmAll } },
              { does: "overrule", keys: { "=": () => one && setOverruling(true) } },
              {
                does: "leave it to the evidence",
                keys: { Delete: () => told.length && settling.withdraw.mutate({ rows: told, question }) },
              },
              { does: "find clips", keys: { "/": () => finder.current?.focus() } },
            ]}
          />
          <div className="flex h-10 shrink-0 items-center gap-2 border-t border-hair bg-sunk px-3">
            {told.length === 0 ? (
              <span className="text-soft">
                {rows.length} {rows.length === 1 ? "clip" : "clips"}. Choose one to see its evidence, or several to
                confirm together; Ctrl A takes all.
              </span>
            ) : (
              <>
                <span className="whitespace-nowrap">
                  <Number>{selected.length}</Number> {selected.length === 1 ? "clip" : "clips"}
                </span>
                <Button weight="main" onClick={confirmAll}>
                  Confirm all that agree
                </Button>
                <Button onClick={confirm}>Confirm {asked}</Button>
                <Button onClick={() => settling.withdraw.mutate({ rows: told, question })}>
                  Leave {asked} to the evidence
                </Button>
                {told.length > 1 && <SettleMany showId={showId} rows={told} question={question} name={asked} />}
              </>
            )}
          </div>
          {one && !opened && <Waiting what="Reading its evidence" why={null} />}
          {opened && (
            <Dossier
              key={opened.id}
              showId={showId}
              row={opened}
              question={question}
              ask={openDossier}
              look={look in LOOKS ? look : "rhythm"}
              show={(key) => put("look", key)}
              overruling={overruling}
              overrule={setOverruling}
            />
          )}
        </section>
      )}
      {over && (
        <div className="pointer-events-none absolute inset-2 z-30 flex items-center justify-center border-2 border-dashed border-patina bg-patina-wash/85 text-[16px] font-medium">
          Drop the files to import them as a delivery
        </div>
      )}
      <BringIn
        showId={showId}
        open={search.get("bring") !== null}
        close={(made) =>
          setSearch((now) => {
            now.delete("bring");
            if (made) now.set("delivery", String(made));
            return now;
          })
        }
      />
    </div>
  );
}

/** One answer for a whole selection. */
function SettleMany(props: { showId: number; rows: EvidenceLine[]; question: Question; name: string }) {
  const { settle } = useSettling(props.showId);
  const [value, setValue] = useState("");
  const { answers } = useVocabulary().question(props.question);
  return (
    <form
      className="ml-auto flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        settle.mutate({ rows: props.rows, question: props.question, value }, { onSuccess: () => setValue("") });
      }}
    >
      {answers.length ? (
        <select
          aria-label={`${props.name} of all selected`}
          className={`${fieldLook} !w-32`}
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
          aria-label={`${props.name} of all selected`}
          className={`${fieldLook} !w-24 font-mono`}
          placeholder="like 150"
          value={value}
          onChange={(event) => setValue(event.target.value)}
        />
      )}
      <Button type="submit" disabled={!value}>
        Settle for {props.rows.length}
      </Button>
    </form>
  );
}

function DeliveryItem(props: {
  showId: number;
  delivery: Schemas["DeliveryView"];
  chosen: boolean;
  choose: () => void;
}) {
  const { delivery, chosen } = props;
  const takeOut = useAct(
    () =>
      answer(
        api.DELETE("/api/shows/{show_id}/deliveries/{delivery_id}", {
          params: { path: { show_id: props.showId, delivery_id: delivery.id } },
        }),
      ),
    () => `“${delivery.name}” taken out of the show. Its files are where they were.`,
  );
  const looking = delivery.probed < delivery.clips;
  return (
    <li className={`border-b border-hair ${chosen ? "bg-patina-wash" : "hover:bg-sunk"}`}>
      <button type="button" onClick={props.choose} aria-current={chosen} className="block w-full px-3 pt-1.5 text-left">
        <span className="block truncate font-medium">{delivery.name}</span>
        <span className="block truncate text-[12.5px] text-soft" title={`${delivery.root}: ${delivery.folder}`}>
          {delivery.folder || delivery.root}
        </span>
      </button>
      <div className="flex h-6 items-center gap-2 px-3 pb-1.5 text-[12.5px]">
        {looking ? (
          <>
            <span className="whitespace-nowrap text-soft">
              looking <Number>{delivery.probed}</Number> of <Number>{delivery.clips}</Number>
            </span>
            <Progress done={delivery.probed} of={delivery.clips} label={`Clips of ${delivery.name} analysed`} />
          </>
        ) : (
          <span className="text-soft">
            <Number>{delivery.clips}</Number> {delivery.clips === 1 ? "clip" : "clips"}
          </span>
        )}
        {delivery.troubled > 0 && (
          <span className="whitespace-nowrap text-madder">
            ▲ <Number>{delivery.troubled}</Number> with trouble
          </span>
        )}
        {chosen && !looking && (
          <button
            type="button"
            className="ml-auto text-patina hover:underline"
            onClick={() => takeOut.mutate(undefined)}
          >
            Remove from the show; files stay
          </button>
        )}
      </div>
    </li>
  );
}

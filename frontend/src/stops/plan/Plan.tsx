import { useMemo, useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { useDeliveries, useLedger, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { Button, Empty, fieldLook, Number, Waiting } from "../../ui/parts";
import { DecisionBar } from "./DecisionBar";
import { count, FILTERS, fits } from "./filters";
import { Ledger } from "./Ledger";
import { Reckoning } from "./Reckoning";
import { useDecide } from "./decide";

/** Plan: every clip's decision in one ledger, the arithmetic of the selection beside it. */
export function Plan() {
  const showId = useShowId();
  const ledger = useLedger(showId);
  const deliveries = useDeliveries(showId).data;
  const selection = useSelection();
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const finder = useRef<HTMLInputElement>(null);
  const asking = useRef<(intent: "pace" | "speed") => void>(() => undefined);
  const filter = search.get("show") ?? "all";
  const [words, setWords] = useState(search.get("find") ?? "");
  const rows = useMemo(
    () => (ledger.data?.clips ?? []).filter((row) => fits(row, filter, words)),
    [ledger.data, filter, words],
  );
  const all = useMemo(() => ledger.data?.clips ?? [], [ledger.data]);
  const selected = useMemo(() => all.filter((row) => selection.ids.has(row.id)), [all, selection.ids]);
  const decide = useDecide(showId, selected);

  if (ledger.isPending) return <Waiting what="Opening the ledger" why={ledger.failureReason} />;
  if (ledger.error && !ledger.data) return <Empty title="The ledger cannot be read.">{ledger.error.message}</Empty>;
  if (all.length === 0)
    return (
      <Empty title="There are no clips to plan yet.">
        <Button weight="main" onClick={() => void navigate(`/shows/${showId}/intake?bring=1`)}>
          Bring footage in
        </Button>
      </Empty>
    );

  const put = (key: string, value: string) =>
    setSearch(
      (now) => {
        if (value === "" || value === "all") now.delete(key);
        else now.set(key, value);
        return now;
      },
      { replace: true },
    );

  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_322px] max-[1180px]:grid-cols-[minmax(0,1fr)_264px] min-[1700px]:grid-cols-[minmax(0,1fr)_420px]">
      <section className="flex min-h-0 min-w-0 flex-col" aria-label="Ledger">
        <div
          className="flex h-9 shrink-0 items-center gap-1 border-b border-hair px-2"
          role="group"
          aria-label="Filters"
        >
          {FILTERS.map((f) => {
            const n = count(all, f.key);
            const on = filter === f.key;
            return (
              <button
                key={f.key}
                type="button"
                aria-pressed={on}
                disabled={n === 0 && !on}
                onClick={() => put("show", f.key)}
                className={`h-6 px-1.5 whitespace-nowrap ${on ? "bg-patina text-on-patina" : "hover:bg-sunk disabled:text-soft disabled:opacity-60"}`}
              >
                {f.name} <Number className={on ? "" : "text-soft"}>{n}</Number>
              </button>
            );
          })}
          <input
            ref={finder}
            className={`${fieldLook} ml-auto h-6! max-w-40`}
            placeholder="Find by name  /"
            aria-label="Find in the ledger"
            value={words}
            onChange={(event) => {
              setWords(event.target.value);
              put("find", event.target.value);
            }}
            onKeyDown={(event) => event.key === "Escape" && (event.target as HTMLInputElement).blur()}
          />
        </div>
        <Ledger
          rows={rows}
          deliveries={deliveries ?? []}
          decide={decide}
          ask={(intent) => asking.current(intent)}
          find={() => finder.current?.focus()}
        />
        <DecisionBar
          selected={selected}
          decide={decide}
          onAsk={(ask) => {
            asking.current = ask;
          }}
        />
      </section>
      <Reckoning showId={showId} selected={selected} shown={rows} decide={decide} />
    </div>
  );
}

import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react";
import { Columns3 } from "lucide-react";
import { useDeferredValue, useMemo, useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../data/client";
import { useLayout } from "../../data/preferences";
import { useAct, useLedger, useRow, useShow, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { pairs, useVocabulary } from "../../data/vocabulary";
import { Button, Empty, fieldLook, Number, Options, Waiting } from "../../ui/parts";
import { useRoom } from "../../ui/useRoom";
import { ColumnsMenu } from "./ColumnsMenu";
import { COLUMNS, USUAL, USUAL_IN } from "./columns";
import { useDecide } from "./decide";
import { DecisionBar, type Asking, type Field } from "./DecisionBar";
import { Ledger } from "./Ledger";
import { Reach } from "./Reach";
import { Reckoning } from "./Reckoning";
import { Recipes } from "./recipes/Recipes";

const PANELS = ["arithmetic", "recipes"] as const;
const LAYOUT = {
  columns: USUAL,
  folded: [] as string[],
  sort: "name" as Schemas["Sort"],
  down: false,
  group: "delivery" as Schemas["Group"],
};
/** Plan: every clip's decision in one ledger; beside it the arithmetic of the selection, or the recipes. */
export function Plan() {
  const showId = useShowId();
  const room = useRoom();
  const navigate = useNavigate();
  const { filters, groups } = useVocabulary();
  const show = useShow(showId).data;
  const [search, setSearch] = useSearchParams();
  const [layout, setLayout] = useLayout("plan", LAYOUT);
  const [words, setWords] = useState(search.get("find") ?? "");
  const [alone, setAlone] = useState(false);
  const [copied, setCopied] = useState<{ id: number; name: string } | null>(null);
  const finder = useRef<HTMLInputElement>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const [asking, setAsking] = useState<Asking | null>(null);
  const ask = (field: Field | null) => setAsking(field && { of: field });
  const back = () => scroller.current?.focus();
  const mark = search.get("show") ?? "all";
  const side = search.get("side") === "recipes" ? "recipes" : "arithmetic";
  const besideId = global(search.get("beside"));
  const find = useDeferredValue(words.trim());
  const { sort, down, group } = layout;
  const asked = useMemo(
    () => ({
      ...(find ? { find } : {}),
      ...(mark === "all" ? {} : { mark }),
      ...(sort === "name" && !down ? {} : { sort, down }),
      ...(group === "delivery" ? {} : { group }),
    }),
    [find, mark, sort, down, group],
  );
  const all = useLedger(showId);
  const ledger = useLedger(showId, asked);
  const selection = useSelection();
  const there = useMemo(() => new Set(all.data?.ids), [all.data]);
  const selected = useMemo(() => [...selection.ids].filter((id) => there.has(id)), [selection.ids, there]);
  const { decide, asked: reaching, settle } = useDecide(showId, selected, alone);
  const one = useRow(showId, selected.length === 1 ? selected[0] : undefined).data;
  const precise = useAct(
    (receiving: Schemas["Precision"]) =>
      answer(api.PUT("/api/shows/{show_id}/receiving", { params: { path: { show_id: showId } }, body: { receiving } })),
    (made) => made.title,
  );

  if (ledger.isPending) return <Waiting what="Opening the ledger" why={ledger.failureReason} />;
  if (ledger.error && !ledger.data) return <Empty title="The ledger cannot be read.">{ledger.error.message}</Empty>;
  const data = ledger.data;
  if (data.total === 0)
    return (
      <Empty title="There are no clips yet.">
        <Button weight="main" onClick={() => void navigate(`/shows/${showId}/intake?bring=1`)}>
          Import footage
        </Button>
      </Empty>
    );

  const put = (key: string, value: string, usual = "all") =>
    setSearch(
      (now) => {
        if (value === "" || value === usual) now.delete(key);
        else now.set(key, value);
        return now;
      },
      { replace: true },
    );
  const timelines = show?.timelines ?? [];
  const here = timelines.find((t) => t.is_default);
  const beside = timelines.find((t) => t.id === besideId && !t.is_default);
  const keys = layout.columns.join() === USUAL.join() ? USUAL_IN[room] : layout.columns;
  const columns = COLUMNS.filter(({ key }) => (key === "beside" ? beside : keys.includes(key)))
    .sort((a, b) => place(keys, a.key) - place(keys, b.key))
    .map((column) => (column.key === "beside" && beside ? { ...column, name: beside.name } : column));
  const fold = (key: string) =>
    setLayout({
      folded: layout.folded.includes(key) ? layout.folded.filter((one) => one !== key) : [...layout.folded, key],
    });
  const sortBy = (by: Schemas["Sort"]) =>
    setLayout({ sort: by, down: by === sort ? !down : by !== "name" && by !== "decision" });
  const copy =
    one && copied?.id !== one.id && selected.length === 1 ? () => setCopied({ id: one.id, name: one.name }) : null;

  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_322px] max-[1180px]:grid-cols-[minmax(0,1fr)_290px] max-[1100px]:grid-cols-[minmax(0,1fr)_272px] min-[1700px]:grid-cols-[minmax(0,1fr)_430px]">
      <section className="flex min-h-0 min-w-0 flex-col" aria-label="Ledger">
        <div
          className="flex min-h-9 shrink-0 flex-wrap items-center gap-x-0.5 gap-y-1 border-b border-hair px-2 py-1"
          role="group"
          aria-label="Filters"
        >
          {filters.map((f) => {
            const n = f.text === "all" ? data.total : (data.counts[f.text] ?? 0);
            const on = mark === f.text;
            if (n === 0 && !on) return null;
            return (
              <button
                key={f.text}
                type="button"
                aria-pressed={on}
                onClick={() => put("show", f.text)}
                className={`h-6 px-1.5 whitespace-nowrap ${on ? "bg-patina text-on-patina" : "hover:bg-sunk"}`}
              >
                {f.label} <Number className={on ? "" : "text-soft"}>{n}</Number>
              </button>
            );
          })}
        </div>
        <div className="flex h-9 shrink-0 items-center gap-2 border-b border-hair px-2">
          <input
            ref={finder}
            className={`${fieldLook} h-6! max-w-64`}
            placeholder="Find by name, rate, tag, mark, recipe …  /"
            aria-label="Find in the ledger"
            value={words}
            onChange={(event) => {
              setWords(event.target.value);
              put("find", event.target.value, "");
            }}
            onKeyDown={(event) => {
              if (event.key === "Escape" || event.key === "Enter") back();
            }}
          />
          {(find || mark !== "all") && (
            <span className="whitespace-nowrap text-[12.5px] text-soft">
              <Number>{data.ids.length}</Number> of <Number>{data.total}</Number>
            </span>
          )}
          <select
            aria-label="Group"
            className={`${fieldLook} ml-auto h-6! w-auto! px-1!`}
            value={group}
            onChange={(event) => setLayout({ group: event.target.value as Schemas["Group"], folded: [] })}
          >
            <Options of={pairs(groups)} />
          </select>
          {timelines.length > 1 && (
            <select
              aria-label="Set another timeline beside"
              className={`${fieldLook} h-6! w-auto! px-1!`}
              value={beside?.id ?? ""}
              onChange={(event) => put("beside", event.target.value, "")}
            >
              <option value="">nothing beside</option>
              {timelines
                .filter((t) => !t.is_default)
                .map((t) => (
                  <option key={t.id} value={t.id}>
                    beside: {t.name}, {t.rate.spoken}
                  </option>
                ))}
            </select>
          )}
          <ColumnsMenu columns={keys} choose={(keys) => setLayout({ columns: keys })}>
            <Columns3 size={14} aria-hidden /> Columns
          </ColumnsMenu>
        </div>
        <Ledger
          scroller={scroller}
          showId={showId}
          data={data}
          asked={asked}
          beside={beside?.id ?? null}
          columns={columns}
          folded={layout.folded}
          fold={fold}
          unfold={() => setLayout({ folded: [] })}
          sort={sort}
          down={down}
          sortBy={sortBy}
          decide={decide}
          ask={ask}
          find={() => finder.current?.focus()}
          look={(id) => void navigate(`/shows/${showId}/bench/${id}`)}
        />
        <DecisionBar
          selected={selected.length}
          timeline={here?.name ?? ""}
          several={timelines.length > 1}
          alone={alone}
          setAlone={setAlone}
          tags={data.tags}
          copied={copied}
          copy={copy}
          takes={selected.some((id) => id !== copied?.id)}
          decide={decide}
          asking={asking}
          ask={ask}
          back={back}
        />
      </section>
      <TabGroup
        selectedIndex={PANELS.indexOf(side)}
        onChange={(index) => put("side", PANELS[index] ?? "arithmetic", "arithmetic")}
        className="flex min-h-0 flex-col border-l border-hair bg-raised"
      >
        <TabList className="flex h-9 shrink-0 items-center gap-1 border-b border-hair px-2" aria-label="Panel">
          {PANELS.map((name) => (
            <Tab
              key={name}
              className="h-7 px-2 text-patina capitalize not-data-selected:hover:bg-sunk data-selected:border-b-2 data-selected:border-patina data-selected:font-medium data-selected:text-ink"
            >
              {name}
            </Tab>
          ))}
        </TabList>
        <TabPanels className="flex min-h-0 flex-1 flex-col">
          <TabPanel className="flex min-h-0 flex-1 flex-col" tabIndex={-1}>
            <Reckoning
              showId={showId}
              selected={selected}
              shown={data.ids}
              decide={decide}
              precise={(precision) => precise.mutate(precision)}
            />
          </TabPanel>
          <TabPanel className="flex min-h-0 flex-1 flex-col" tabIndex={-1}>
            <Recipes showId={showId} selected={selected} shown={data.ids} tags={data.tags} one={one} decide={decide} />
          </TabPanel>
        </TabPanels>
      </TabGroup>
      {reaching && <Reach asked={reaching} settle={settle} />}
    </div>
  );
}

function global(text: string | null): number | null {
  return text ? parseInt(text, 10) : null;
}

function place(order: string[], key: string): number {
  const at = order.indexOf(key);
  return at < 0 ? order.length - 1.5 : at;
}

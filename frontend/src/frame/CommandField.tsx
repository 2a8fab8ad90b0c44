import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, api, type Schemas } from "../data/client";
import { useTheme } from "../data/preferences";
import { useAct, useLedger, useUndo } from "../data/queries";
import { useSelection } from "../data/selection";
import { Reckoned } from "./Reckoner";
import { STOPS } from "./stops";

interface Command {
  id: string;
  name: string;
  kind: string;
  run: () => void;
}

const MOST = 12;
/** What looks like one to three rates, as in `60i`, or `150 in 25 on 23.976`. */
const RATES = /^\d[\d./,pi]*( *(in|on|to|,)? *\d[\d./,pi]*){0,2}$/i;

/** One field for everything that can be done or found: stops, timelines, undo, clips by name. */
export function CommandField(props: {
  show: Schemas["ShowView"];
  open: boolean;
  close: () => void;
  reckon: (typed: string) => void;
}) {
  const { show, open, close, reckon } = props;
  const [typed, setTyped] = useState("");
  const commands = useCommands(show, reckon);
  const clips = useClips(show.id);
  const here = show.timelines.find((one) => one.is_default)?.rate.spoken ?? "";
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (c: { kind: string; name: string }) =>
    words.every((w) => `${c.kind} ${c.name}`.toLowerCase().includes(w));
  const found = commands.filter(fits).slice(0, MOST);
  const rates = RATES.test(typed.trim()) ? typed.trim() : "";
  if (rates) found.unshift({ id: "rates", kind: "reckon", name: `${rates}: keep it open`, run: () => reckon(rates) });
  if (words.length) for (const clip of clips()) if (found.length < MOST && fits(clip)) found.push(clip);
  const leave = () => {
    setTyped("");
    close();
  };
  return (
    <Dialog open={open} onClose={leave} aria-label="Do or find" className="relative z-50">
      <div className="fixed inset-0 bg-black/25" aria-hidden />
      <div className="fixed inset-0 flex items-start justify-center p-6 pt-20">
        <DialogPanel className="w-full max-w-xl border border-hair bg-raised shadow-xl">
          <Combobox
            onChange={(command: Command | null) => {
              if (!command) return;
              leave();
              command.run();
            }}
          >
            <ComboboxInput
              autoFocus
              aria-label="Do or find"
              placeholder="Find a view, timeline, clip or action"
              className="h-10 w-full border-b border-hair bg-transparent px-3 text-[15px] outline-none"
              onChange={(event) => setTyped(event.target.value)}
              onKeyDownCapture={(event) => {
                if (event.key !== "Escape") return;
                event.preventDefault();
                event.stopPropagation();
                event.nativeEvent.stopImmediatePropagation();
                leave();
              }}
            />
            {rates && <Reckoned typed={rates} timeline={here} />}
            <ComboboxOptions static className="max-h-96 overflow-auto py-1">
              {found.map((command) => (
                <ComboboxOption
                  key={command.id}
                  value={command}
                  className="flex h-8 cursor-pointer items-center gap-3 px-3 data-focus:bg-patina-wash"
                >
                  <span className="w-20 shrink-0 text-[12px] text-soft">{command.kind}</span>
                  <span className="truncate">{command.name}</span>
                </ComboboxOption>
              ))}
              {found.length === 0 && <p className="px-3 py-2 text-soft">No matches.</p>}
            </ComboboxOptions>
          </Combobox>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** The clips of the show as things to go to. */
function useClips(showId: number): () => Generator<Command> {
  const navigate = useNavigate();
  const ledger = useLedger(showId).data;
  const selection = useSelection();
  return function* () {
    for (const [i, id] of (ledger?.ids ?? []).entries())
      yield {
        id: `c${id}`,
        kind: "clip",
        name: ledger?.names[i] ?? "",
        run: () => {
          selection.set([id]);
          void navigate(`/shows/${showId}/plan`);
        },
      };
  };
}

function useCommands(show: Schemas["ShowView"], reckon: (typed: string) => void): Command[] {
  const navigate = useNavigate();
  const ledger = useLedger(show.id);
  const selection = useSelection();
  const { undo, redo } = useUndo(show.id);
  const [theme, setTheme] = useTheme();
  const planFor = useAct((id: number) =>
    answer(
      api.PATCH("/api/shows/{show_id}", { params: { path: { show_id: show.id } }, body: { default_timeline_id: id } }),
    ),
  );
  const toLook = (look: string) => {
    const first = ledger.data?.ids[0];
    if (selection.ids.size !== 1 && first !== undefined) selection.set([[...selection.ids][0] ?? first]);
    go(`intake?look=${look}`);
  };
  const go = (path: string) => void navigate(`/shows/${show.id}/${path}`);
  const commands: Command[] = STOPS.map((stop) => ({
    id: stop.path,
    kind: "go to",
    name: `${stop.name}: ${stop.does}`,
    run: () => go(stop.path),
  }));
  commands.unshift({ id: "bring-in", kind: "do", name: "Import footage…", run: () => go("intake?bring=1") });
  commands.push({ id: "reckon", kind: "do", name: "Calculate with rates, without a clip…", run: () => reckon("") });
  commands.push({ id: "recipes", kind: "go to", name: "Recipes", run: () => go("plan?side=recipes") });
  const looks = [
    ["roll", "Gauge table and rolls of film"],
    ["measure", "Measure a shot rate by known duration"],
    ["eye", "Compare rates by eye"],
  ];
  for (const [look, name] of looks)
    commands.push({ id: `look-${look}`, kind: "do", name: `${name}…`, run: () => toLook(look ?? "") });
  const { undo: undoable, redo: redoable } = show;
  if (undoable) commands.push({ id: "undo", kind: "do", name: `Undo: ${undoable.title}`, run: undo });
  if (redoable) commands.push({ id: "redo", kind: "do", name: `Redo: ${redoable.title}`, run: redo });
  const other = theme === "paper" ? "dim" : "paper";
  commands.push({ id: "theme", kind: "do", name: `Change to the ${other} theme`, run: () => setTheme(other) });
  for (const timeline of show.timelines)
    if (!timeline.is_default)
      commands.push({
        id: `t${timeline.id}`,
        kind: "plan for",
        name: `${timeline.name}, ${timeline.rate.spoken}`,
        run: () => planFor.mutate(timeline.id),
      });
  return commands;
}

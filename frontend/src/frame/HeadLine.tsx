import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { ChevronDown, Moon, Redo2, Search, Sun, Undo2 } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../data/client";
import { useTheme } from "../data/preferences";
import { useDeliveries, useQueue, useShows, useUndo } from "../data/queries";
import { EVERYWHERE, useKeysEverywhere } from "../ui/keys";
import { Key, Number, Progress } from "../ui/parts";
import { inFiles } from "../ui/words";
import { Reckoner } from "./Reckoner";
import { CommandField } from "./CommandField";
import { KeysDialog } from "./KeysDialog";

/** The line that is always there: show, timeline, undo and redo, running work, and the command field. */
export function HeadLine({ show }: { show: Schemas["ShowView"] }) {
  const timeline = show.timelines.find((t) => t.is_default);
  const { undo, redo } = useUndo(show.id);
  const [theme, setTheme] = useTheme();
  const [commanding, setCommanding] = useState(false);
  const [keysOpen, setKeysOpen] = useState(false);
  const [reckoning, setReckoning] = useState<string | null>(null);
  const undoable = show.undo;
  const redoable = show.redo;

  useKeysEverywhere(EVERYWHERE, [
    { does: "do or find anything", keys: { "Mod+k": () => setCommanding(true) } },
    {
      does: "calculate with rates, without a clip",
      keys: { "Mod+e": () => setReckoning((open) => (open === null ? "" : null)) },
    },
    { does: "undo", keys: { "Mod+z": undo } },
    { does: "redo", keys: { "Mod+Shift+z": redo } },
    { does: "list the keys", keys: { "?": () => setKeysOpen(true) } },
  ]);

  return (
    <header className="col-span-2 flex items-center gap-3 border-b border-hair bg-raised px-3">
      <ShowMenu show={show} />
      <Link
        to={`/shows/${show.id}/brief`}
        className="flex min-w-0 items-baseline gap-2 border-l border-hair pl-3 hover:text-patina"
        title="Default timeline. Change it in Brief."
      >
        {timeline ? (
          <>
            <span className="truncate text-soft">{timeline.name}</span>
            <Number className="font-medium">{timeline.rate.spoken}</Number>
            <Number className="whitespace-nowrap text-soft max-[1100px]:hidden">
              {timeline.width} × {timeline.height}
            </Number>
            <span className="whitespace-nowrap text-soft max-[1180px]:hidden">{scanWords(timeline)}</span>
          </>
        ) : (
          <span className="text-madder">no timeline</span>
        )}
      </Link>
      <div className="flex items-center border-l border-hair pl-2">
        <HistoryButton icon={<Undo2 size={15} aria-hidden />} verb="Undo" change={undoable} act={undo} />
        <HistoryButton icon={<Redo2 size={15} aria-hidden />} verb="Redo" change={redoable} act={redo} />
      </div>
      <RunningWork showId={show.id} />
      <div className="ml-auto flex items-center gap-2">
        <button
          type="button"
          onClick={() => setCommanding(true)}
          className="flex h-7 w-52 items-center gap-2 border border-hair bg-ground px-2 text-soft hover:border-patina"
        >
          <Search size={14} aria-hidden />
          <span className="flex-1 text-left">Do or find</span>
          <Key>Ctrl K</Key>
        </button>
        <button
          type="button"
          className="h-7 px-1.5 text-soft hover:text-patina"
          title="Rate calculator (Ctrl E)"
          aria-expanded={reckoning !== null}
          onClick={() => setReckoning(reckoning === null ? "" : null)}
        >
          Calculate
        </button>
        <button
          type="button"
          className="size-7 p-1 text-soft hover:text-patina"
          aria-label={theme === "paper" ? "Change to the dim theme" : "Change to the paper theme"}
          onClick={() => setTheme(theme === "paper" ? "dim" : "paper")}
        >
          {theme === "paper" ? <Moon size={17} aria-hidden /> : <Sun size={17} aria-hidden />}
        </button>
        <button
          type="button"
          className="size-7 border border-hair font-mono text-soft hover:border-patina"
          aria-label="Show the keys for this view"
          onClick={() => setKeysOpen(true)}
        >
          ?
        </button>
      </div>
      <CommandField show={show} open={commanding} close={() => setCommanding(false)} reckon={setReckoning} />
      {reckoning !== null && (
        <Reckoner
          key={reckoning}
          typed={reckoning}
          timeline={timeline?.rate.spoken ?? ""}
          close={() => setReckoning(null)}
        />
      )}
      <KeysDialog open={keysOpen} close={() => setKeysOpen(false)} />
    </header>
  );
}

function scanWords(timeline: Schemas["TimelineView"]): string {
  return timeline.drop_frame ? `${timeline.scan_words}, drop-frame` : timeline.scan_words;
}

function HistoryButton(props: {
  icon: React.ReactNode;
  verb: string;
  change: Schemas["ChangeView"] | null;
  act: () => void;
}) {
  const { verb, change } = props;
  const name = change ? `${verb}: ${change.title}` : `Nothing to ${verb.toLowerCase()}`;
  return (
    <button
      type="button"
      disabled={!change}
      onClick={props.act}
      aria-label={name}
      title={change ? `${name} (${change.person})` : name}
      className="flex h-7 max-w-52 items-center gap-1 px-1.5 hover:text-patina disabled:text-soft disabled:opacity-50"
    >
      {props.icon}
      {verb === "Undo" && change && <span className="truncate text-[12.5px] text-soft">{change.title}</span>}
    </button>
  );
}

function ShowMenu({ show }: { show: Schemas["ShowView"] }) {
  const shows = useShows();
  const navigate = useNavigate();
  return (
    <Menu>
      <MenuButton className="flex shrink-0 items-center gap-1 text-[15px] font-semibold hover:text-patina">
        {show.name}
        <ChevronDown size={14} aria-hidden />
      </MenuButton>
      <MenuItems anchor="bottom start" className="z-40 mt-1 min-w-52 border border-hair bg-raised py-1 shadow-lg">
        {(shows.data ?? []).map((other) => (
          <MenuItem key={other.id}>
            <button
              type="button"
              className="block w-full px-3 py-1 text-left data-focus:bg-patina-wash"
              onClick={() => void navigate(`/shows/${other.id}/plan`)}
            >
              {other.name}
            </button>
          </MenuItem>
        ))}
        <MenuItem>
          <button
            type="button"
            className="block w-full border-t border-hair px-3 py-1 text-left text-patina data-focus:bg-patina-wash"
            onClick={() => void navigate("/new")}
          >
            New show…
          </button>
        </MenuItem>
      </MenuItems>
    </Menu>
  );
}

/** Probing and rendering under way, in one line; nothing where there is none. */
function RunningWork({ showId }: { showId: number }) {
  const deliveries = useDeliveries(showId).data ?? [];
  const queue = useQueue(showId).data;
  const clips = deliveries.reduce((sum, d) => sum + d.clips, 0);
  const probed = deliveries.reduce((sum, d) => sum + d.probed, 0);
  const making = queue?.under_way ? queue : null;
  const looking = probed < clips;
  if (!looking && !making) return null;
  return (
    <Link
      to={`/shows/${showId}/${making ? "handoff" : "intake"}`}
      role="status"
      className="flex w-44 flex-col gap-0.5 border-l border-hair pl-3 text-[12px] leading-4 text-soft hover:text-patina"
    >
      <span className="truncate">
        {making
          ? `making ${inFiles(making.under_way)}${making.left ? `, ${making.left}` : ""}`
          : `looking at clip ${probed + 1} of ${clips}`}
      </span>
      <Progress
        done={making ? making.done_frames : probed}
        of={making ? making.total_frames : clips}
        label={making ? "Frames made and proven" : "Clips analysed"}
      />
    </Link>
  );
}

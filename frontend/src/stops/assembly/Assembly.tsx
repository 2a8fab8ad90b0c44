import { useVocabulary } from "../../data/vocabulary";
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useMemo, useState } from "react";
import { Navigate, useNavigate, useParams } from "react-router";
import type { Schemas } from "../../data/client";
import { useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { useKeptClear } from "../../ui/Notice";
import { useKeysEverywhere } from "../../ui/keys";
import { Button, Empty, Options, Waiting, fieldLook } from "../../ui/parts";
import { EffectTold, EventPanel } from "./EventPanel";
import { EventTable } from "./EventTable";
import { FilesSheet } from "./FilesSheet";
import { ListSheet } from "./ListSheet";
import { Look } from "./Look";
import { NewCutSheet, type NewCut } from "./NewCutSheet";
import { Score } from "./Score";
import { useCut, useCuts, useEdit, type Asked, type Cut } from "./data";
import { eventsKeys } from "./eventsKeys";

/** Assembly without a timeline in the address: the one that is planned for. */
export function AssemblyChoice() {
  const showId = useShowId();
  const cuts = useCuts(showId);
  if (!cuts.data) return <Waiting what="Opening the timelines" why={cuts.failureReason} />;
  const first = cuts.data.find((one) => one.is_default) ?? cuts.data[0];
  if (!first) return <Empty title="This show has no timeline.">Add one in Brief.</Empty>;
  return <Navigate to={`/shows/${showId}/assembly/${first.id}`} replace />;
}

/** Assembly: the events of a timeline as a table and as a score, with the picture under the playhead. */
export function Assembly() {
  const showId = useShowId();
  const timelineId = globalThis.Number(useParams().timelineId);
  const cut = useCut(showId, timelineId);
  const cuts = useCuts(showId);
  if (!cut.data || cut.data.id !== timelineId || !cuts.data) {
    if (cut.error) return <Empty title="This timeline cannot be opened.">{cut.error.message}</Empty>;
    return <Waiting what="Opening the timeline" why={cut.failureReason} />;
  }
  return <Opened key={timelineId} showId={showId} cut={cut.data} cuts={cuts.data} />;
}

function Opened({ showId, cut, cuts }: { showId: number; cut: Cut; cuts: Schemas["CutEntry"][] }) {
  const [chosen, setChosen] = useState<Set<number>>(new Set());
  const [head, setHead] = useState(0);
  const [following, setFollowing] = useState<Schemas["Following"]>("moves");
  const [weighed, setWeighed] = useState<Asked | null>(null);
  const [listing, setListing] = useState(false);
  const [filing, setFiling] = useState(false);
  const [making, setMaking] = useState<NewCut | null>(null);
  const [side, foot] = [useKeptClear("--side"), useKeptClear("--foot")];
  const edit = useEdit(showId, cut, (made, asked) => {
    if (asked.edit === "split" || asked.edit === "place") setChosen(new Set(made.added.slice(0, 1)));
    setWeighed(null);
  });
  const last = Math.max(0, cut.length.frames - 1);
  const go = (frame: number) => setHead(Math.max(0, Math.min(last, Math.round(frame))));
  const events = useMemo(() => cut.events.filter((event) => chosen.has(event.id)), [cut.events, chosen]);
  const act = (asked: Asked) => edit.mutate({ following, ...asked });
  const weigh = (asked: Asked | null) => setWeighed(asked && { following, ...asked });
  const at = Math.min(head, last);

  useKeysEverywhere(
    "Assembly",
    eventsKeys({
      cut,
      head: at,
      chosen: events,
      go,
      choose: (ids) => setChosen(new Set(ids)),
      act,
      follow: () => setFollowing((now) => (now === "moves" ? "stays" : "moves")),
      nest: () => events.length > 0 && setMaking({ kind: "nest", events: events.map((event) => event.id) }),
      list: () => setListing(true),
      file: () => setFiling(true),
    }),
  );

  return (
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)_auto]">
      <Toolbar
        showId={showId}
        cut={cut}
        cuts={cuts}
        head={at}
        act={act}
        weigh={weigh}
        list={() => setListing(true)}
        rerate={() => setMaking({ kind: "rerate" })}
        file={() => setFiling(true)}
      />
      {cut.events.length === 0 ? (
        <div className="flex min-h-0 flex-col">
          <Empty title={`“${cut.name}” has no events yet.`}>
            Select clips in Plan and place them here, or import an EDL or OpenTimelineIO file.
          </Empty>
          <EffectTold showId={showId} cut={cut} weighed={weighed} />
        </div>
      ) : (
        <div className="grid min-h-0 grid-cols-[minmax(0,1fr)_352px] max-[1100px]:grid-cols-[minmax(0,1fr)_288px]">
          <EventTable
            cut={cut}
            chosen={chosen}
            choose={(ids, to) => {
              setChosen(new Set(ids));
              if (to) go(to.record_in);
            }}
          />
          <aside ref={side} className="flex min-h-0 flex-col border-l border-hair" aria-label="Under the playhead">
            <div className="min-h-0 flex-1 overflow-y-auto">
              <Look showId={showId} cut={cut} frame={at} go={go} act={act} />
              <EventPanel
                showId={showId}
                cut={cut}
                events={events}
                head={at}
                weigh={weigh}
                act={act}
                nest={() => setMaking({ kind: "nest", events: events.map((event) => event.id) })}
              />
            </div>
            <EffectTold showId={showId} cut={cut} weighed={weighed} />
          </aside>
        </div>
      )}
      {cut.events.length > 0 && (
        <div ref={foot}>
          <Score
            showId={showId}
            cut={cut}
            head={at}
            go={go}
            chosen={chosen}
            choose={(ids) => setChosen(new Set(ids))}
            act={act}
            weigh={weigh}
            following={following}
            follow={setFollowing}
          />
        </div>
      )}
      {listing && <ListSheet showId={showId} like={cut} close={() => setListing(false)} />}
      {filing && <FilesSheet showId={showId} cut={cut} events={[...chosen]} close={() => setFiling(false)} />}
      {making && <NewCutSheet showId={showId} cut={cut} what={making} close={() => setMaking(null)} />}
    </div>
  );
}

function Toolbar(props: {
  showId: number;
  cut: Cut;
  cuts: Schemas["CutEntry"][];
  head: number;
  act: (asked: Asked) => void;
  weigh: (asked: Asked | null) => void;
  list: () => void;
  rerate: () => void;
  file: () => void;
}) {
  const { showId, cut, cuts, head, act, weigh } = props;
  const navigate = useNavigate();
  const selection = useSelection();
  const clips = [...selection.ids];
  const nests = cuts.filter((one) => one.id !== cut.id && one.events > 0);
  const formats = useVocabulary().list_formats;
  const weighing = (asked: Asked) => ({
    onMouseEnter: () => weigh(asked),
    onFocus: () => weigh(asked),
    onMouseLeave: () => weigh(null),
    onBlur: () => weigh(null),
  });
  const end: Asked = { edit: "place", clips };
  const here: Asked = { edit: "place", clips, at: head };
  return (
    <div
      role="toolbar"
      aria-label="Timeline"
      className="flex min-h-9 flex-wrap items-center gap-1.5 border-b border-hair px-3 py-1"
    >
      <select
        aria-label="Timeline"
        className={`${fieldLook} w-56! max-[1100px]:w-40!`}
        value={cut.id}
        onChange={(event) => void navigate(`/shows/${showId}/assembly/${event.target.value}`)}
      >
        <Options
          of={cuts.map(
            (one) => [String(one.id), `${one.name} · ${one.events} ${one.events === 1 ? "event" : "events"}`] as const,
          )}
        />
      </select>
      <span className="font-mono text-[12.5px] text-soft tabular-nums">
        {cut.rate.spoken}
        {cut.drop_frame ? " drop" : ""} · {cut.length.timecode}
      </span>
      <span className="mx-1 h-5 w-px bg-hair" />
      <Button disabled={!clips.length} onClick={() => act(end)} {...weighing(end)}>
        Place {clips.length || ""} {clips.length === 1 ? "clip" : "clips"} at the end
      </Button>
      <Button disabled={!clips.length} onClick={() => act(here)} {...weighing(here)}>
        at the playhead
      </Button>
      {nests.length > 0 && (
        <Popover>
          <PopoverButton className="inline-flex h-7 items-center border border-hair bg-raised px-2.5 hover:border-patina">
            Place a timeline …
          </PopoverButton>
          <PopoverPanel anchor="bottom start" className="z-40 mt-1 w-64 border border-hair bg-raised p-2 shadow-lg">
            {({ close }) => (
              <ul aria-label="Timelines to place">
                {nests.map((one) => (
                  <li key={one.id}>
                    <Button
                      weight="quiet"
                      onClick={() => {
                        act({ edit: "place", inner: one.id });
                        close();
                      }}
                      {...weighing({ edit: "place", inner: one.id })}
                    >
                      {one.name} at the end
                    </Button>
                  </li>
                ))}
              </ul>
            )}
          </PopoverPanel>
        </Popover>
      )}
      <Button weight="quiet" onClick={() => act({ edit: "close" })} {...weighing({ edit: "close" })}>
        Close gaps
      </Button>
      <span className="flex-1" />
      <Popover>
        <PopoverButton className="inline-flex h-7 items-center border border-hair bg-raised px-2.5 hover:border-patina">
          Lists and files
        </PopoverButton>
        <PopoverPanel anchor="bottom end" className="z-40 mt-1 w-80 border border-hair bg-raised p-2 shadow-lg">
          <ul className="flex flex-col gap-1">
            <li>
              <Button weight="quiet" onClick={props.list}>
                Import a list …
              </Button>
            </li>
            <li>
              <Button weight="quiet" onClick={props.rerate}>
                This timeline at another rate …
              </Button>
            </li>
            <li>
              <Button weight="quiet" onClick={props.file}>
                Make files of events or of the timeline …
              </Button>
            </li>
            {[
              ...formats.flatMap((one): [string, string][] => [
                [
                  `${one.ending}${one.reads ? "" : "&handles=12"}`,
                  `Export ${one.name}${one.of_made ? " of the sources" : ""}`,
                ],
                ...(one.in_chains
                  ? ([[`${one.ending}&chains=true`, `Export ${one.name}, speed ramps as constant-speed events`]] as [
                      string,
                      string,
                    ][])
                  : []),
                ...(one.of_made
                  ? ([[`${one.ending}&of=made`, `Export ${one.name} of the made files`]] as [string, string][])
                  : []),
              ]),
              ["events.csv", "Export the events as CSV"],
              ["events.html", "Print the list of events"],
            ].map(([form = "", label]) => (
              <li key={form}>
                <a
                  className="inline-flex h-7 items-center px-2.5 text-patina hover:bg-patina-wash"
                  href={`/api/shows/${showId}/cuts/${cut.id}/${form.startsWith("events.") ? form : `list?form=${form}`}`}
                  {...(form === "events.html" ? { target: "_blank", rel: "noreferrer" } : { download: true })}
                >
                  {label}
                </a>
              </li>
            ))}
          </ul>
        </PopoverPanel>
      </Popover>
    </div>
  );
}

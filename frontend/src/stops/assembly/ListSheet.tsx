import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useVocabulary } from "../../data/vocabulary";
import { useNavigate } from "react-router";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import type { Cut } from "./data";
import { Sheet } from "../../ui/Sheet";
import { Button, Labelled, Number, fieldLook } from "../../ui/parts";

const SHAPES = { kept: "●", moved: "→", trimmed: "┤", retimed: "◆", new: "+", gone: "✕" } as const;

interface Read {
  file_name: string;
  text: string;
}

/** Bring in a list of a cut: what it says, at which rate, and which of its clips are there, before anything is kept. */
export function ListSheet({ showId, like, close }: { showId: number; like: Cut; close: () => void }) {
  const navigate = useNavigate();
  const reads = useVocabulary().list_formats.filter((one) => one.reads);
  const [list, setList] = useState<Read | null>(null);
  const [rate, setRate] = useState("");
  const [name, setName] = useState("");
  const [next, setNext] = useState(false);
  const path = { show_id: showId };
  const told = useQuery({
    queryKey: ["list-read", showId, list, rate],
    enabled: list !== null,
    retry: false,
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/lists/read", {
          params: { path },
          body: { ...(list as Read), rate, drop_frame: false },
        }),
      ),
  });
  const take = useAct(
    () =>
      answer(
        api.POST("/api/shows/{show_id}/lists", {
          params: { path },
          body: {
            ...(list as Read),
            rate,
            drop_frame: false,
            name: name || told.data?.name || "List",
            like: like.id,
            by_hand: {},
          },
        }),
      ),
    (made) => {
      close();
      void navigate(`/shows/${showId}/assembly/${made.timeline_id}`);
      return made.title;
    },
  );
  const here = { show_id: showId, timeline_id: like.id };
  const versions = useQuery({
    queryKey: ["list-versions", showId, like.id, like.version, list, rate],
    enabled: list !== null && next && Boolean(told.data?.rate),
    retry: false,
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/cuts/{timeline_id}/versions", {
          params: { path: here },
          body: { ...(list as Read), rate, drop_frame: false },
        }),
      ),
  });
  const takeOver = useAct(
    () =>
      answer(
        api.POST("/api/shows/{show_id}/cuts/{timeline_id}/take-over", {
          params: { path: here },
          body: { ...(list as Read), rate, drop_frame: false },
        }),
      ),
    (made) => {
      close();
      return made.title;
    },
  );
  const read = told.data;
  return (
    <Sheet
      title="Import a list"
      open
      wide
      close={close}
      foot={
        <>
          <Button weight="quiet" onClick={close}>
            Cancel
          </Button>
          {next ? (
            <Button
              weight="main"
              disabled={!versions.data || takeOver.isPending}
              onClick={() => takeOver.mutate(undefined)}
            >
              Update “{like.name}”
            </Button>
          ) : (
            <Button weight="main" disabled={!read?.rate || take.isPending} onClick={() => take.mutate(undefined)}>
              {read?.rate ? `Make a timeline of ${read.events} events` : "Make a timeline"}
            </Button>
          )}
        </>
      }
    >
      <div className="grid min-h-0 gap-3 overflow-y-auto px-4">
        <Labelled label={reads.map((one) => one.name).join(" or ")}>
          <input
            type="file"
            aria-label="List"
            accept={[...reads.map((one) => `.${one.ending}`), ".txt"].join(",")}
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) void file.text().then((text) => setList({ file_name: file.name, text }));
            }}
          />
        </Labelled>
        {told.error && <p className="text-madder">▲ {told.error.message}</p>}
        {read && !read.rate && (
          <div className="border border-brass bg-brass-wash px-3 py-2">
            <p>An EDL does not state its rate. {read.reasons.join(" ")}</p>
            <div className="mt-1.5 flex flex-wrap gap-1.5">
              {read.rates.map((one) => (
                <Button key={one.exact} onClick={() => setRate(one.exact)}>
                  It is {one.spoken}
                </Button>
              ))}
            </div>
          </div>
        )}
        {read?.rate && (
          <>
            {like.events.length > 0 && (
              <fieldset className="flex gap-5">
                <legend className="sr-only">Import as</legend>
                {[false, true].map((one) => (
                  <label key={String(one)} className="flex items-center gap-1.5">
                    <input
                      type="radio"
                      name="what-it-is"
                      className="accent-(--patina)"
                      checked={next === one}
                      onChange={() => setNext(one)}
                    />
                    {one ? `a new version of “${like.name}”` : "a new timeline"}
                  </label>
                ))}
              </fieldset>
            )}
            {next && <Versions told={versions.data} fault={versions.error} />}
            <div className={`grid-cols-[1fr_auto] items-end gap-4 ${next ? "hidden" : "grid"}`}>
              <Labelled label="Name of the timeline">
                <input
                  className={fieldLook}
                  value={name || read.name}
                  onChange={(event) => setName(event.target.value)}
                />
              </Labelled>
              {rate && (
                <Button weight="quiet" onClick={() => setRate("")}>
                  Another rate …
                </Button>
              )}
            </div>
            <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-0.5">
              <dt className="text-soft">Rate</dt>
              <dd>
                <Number>{read.rate.spoken}</Number>
                {read.drop_frame ? ", drop-frame" : ""}, from <Number>{read.start}</Number>,{" "}
                <Number>{read.frames}</Number> frames. {read.takes}
              </dd>
              <dt className="text-soft">Tracks</dt>
              <dd>{read.tracks.join(", ")}</dd>
              <dt className="text-soft">Clips found</dt>
              <dd>
                {Object.entries(read.found).map(([by, count]) => (
                  <span key={by} className={`mr-3 ${by === "nothing" || by === "several" ? "text-madder" : ""}`}>
                    {by === "nothing" ? "✕ not found" : by === "several" ? "≢ found more than once" : `by ${by}`}{" "}
                    {count}
                  </span>
                ))}
              </dd>
            </dl>
            {read.open.length > 0 && (
              <details>
                <summary>To be settled on the timeline: {read.open.length}</summary>
                <ul className="max-h-36 overflow-y-auto">
                  {read.open.map((one) => (
                    <li key={one.number}>
                      {one.track} · {one.name} {one.reel && `· reel ${one.reel}`}
                    </li>
                  ))}
                </ul>
              </details>
            )}
            {read.notes.length > 0 && (
              <details open={read.notes.length <= 6}>
                <summary>Notes: {read.notes.length}</summary>
                <ul className="max-h-44 overflow-y-auto text-[12.5px]">
                  {read.notes.map((note) => (
                    <li key={note}>{note}</li>
                  ))}
                </ul>
              </details>
            )}
          </>
        )}
      </div>
    </Sheet>
  );
}

/** What became of each event, and what has to be made again. */
function Versions({ told, fault }: { told: Schemas["VersionsView"] | undefined; fault: Error | null }) {
  if (fault) return <p className="text-madder">▲ {fault.message}</p>;
  if (!told) return <p className="text-soft">Comparing the versions …</p>;
  const fates = Object.entries(told.counts) as [Schemas["ChangeKind"], number][];
  return (
    <div aria-label="Changes between the versions" role="group">
      <p className="flex flex-wrap gap-x-4">
        {fates.map(([fate, count]) => (
          <span key={fate} className={count ? "" : "text-soft"}>
            {SHAPES[fate]} {fate} {count}
          </span>
        ))}
      </p>
      <p className="text-soft">
        {told.again} to be made{told.files ? " again" : ""}; decisions are kept where the source is unchanged.
      </p>
      <ul className="mt-1 max-h-52 overflow-y-auto border border-hair text-[12.5px]">
        {told.changes.map((one, i) => (
          <li key={i} className="flex gap-3 border-b border-hair px-2 leading-6">
            <span className="w-20 shrink-0">
              {SHAPES[one.fate]} {one.fate}
            </span>
            <Number className="w-24 shrink-0">{one.timecode}</Number>
            <span className="w-8 shrink-0 text-soft">{one.track}</span>
            <span className="min-w-0 flex-1 truncate" title={one.name}>
              {one.name}
            </span>
            <span className="truncate text-soft">{one.words}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

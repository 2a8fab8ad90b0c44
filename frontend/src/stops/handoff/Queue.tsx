import { useEffect, useRef, useState } from "react";
import { useLayout } from "../../data/preferences";
import { useQueue, useRenders } from "../../data/queries";
import { useKeysEverywhere } from "../../ui/keys";
import { Button, Empty, Heading, Number } from "../../ui/parts";
import { inFiles } from "../../ui/words";
import { useHands, type Hands } from "./hands";
import { Packages } from "./Packages";
import { QueueItem } from "./QueueItem";
import { Runs } from "./Runs";
import { SheetLine } from "./SheetLine";

const AT_ONCE = 200;
const QUIET = { notify: false };

/** The sheet to hand over, packages and runs, and the queue with progress and the proof of each file. */
export function Queue({ showId }: { showId: number }) {
  const [count, setCount] = useState(AT_ONCE);
  const renders = useRenders(showId, count);
  const rows = renders.data ?? [];
  const all = useQueue(showId).data;
  const hands = useHands(showId, rows);
  const waiting = all ? rows.filter((row) => row.state === "waiting" && !row.paused).length : 0;
  useKeysEverywhere("Queue", [
    { does: "move the waiting file in focus up or down", keys: {}, shown: ["Alt", "↑", "↓"] },
    { does: "pick files from the last one on", keys: {}, shown: ["Shift", "Click"] },
  ]);
  return (
    <section className="flex min-h-0 min-w-0 flex-col bg-raised" aria-label="Queue and proof">
      <SheetLine showId={showId} />
      <Packages showId={showId} renders={rows} />
      <Runs showId={showId} />
      <Heading aside={<Notify underWay={all?.under_way ?? null} failed={all?.failed ?? 0} />}>
        Queue and proof
        {all && all.files > 0 && (
          <span className="ml-2 font-normal text-soft">
            <Number>{all.proven}</Number> of <Number>{all.files}</Number> proven
            {all.left && `, ${all.left} left`}
            {all.failed > 0 && <span className="text-madder"> ✕ {all.failed} failed</span>}
          </span>
        )}
      </Heading>
      {hands.chosen.length > 0 ? (
        <Picked hands={hands} />
      ) : (
        all &&
        (all.under_way > 1 || all.again > 1 || all.paused > 0) && (
          <div
            className="flex shrink-0 flex-wrap items-center border-b border-hair px-2 py-0.5"
            role="group"
            aria-label="The whole queue"
          >
            {waiting > 0 && (
              <Button weight="quiet" className="h-6! px-1!" onClick={() => hands.does("pause", null)}>
                Pause what waits
              </Button>
            )}
            {all.paused > 0 && (
              <Button weight="quiet" className="h-6! px-1!" onClick={() => hands.does("go-on", null)}>
                Go on with {inFiles(all.paused)}
              </Button>
            )}
            {all.under_way > 1 && (
              <Button weight="quiet" className="h-6! px-1!" onClick={() => hands.does("cancel", null)}>
                Cancel {inFiles(all.under_way)}
              </Button>
            )}
            {all.again > 1 && (
              <Button weight="quiet" className="h-6! px-1!" onClick={() => hands.does("retry", null)}>
                Try {inFiles(all.again)} again
              </Button>
            )}
          </div>
        )
      )}
      {renders.error && <p className="p-3 text-madder">▲ {renders.error.message}</p>}
      {rows.length === 0 ? (
        <Empty title="No files have been made yet.">
          Every finished file is reopened and compared with its plan, frame by frame. Results appear here.
        </Empty>
      ) : (
        <ul className="min-h-0 flex-1 overflow-auto" aria-label="Files asked for" aria-live="off">
          {rows.map((render) => (
            <QueueItem key={render.id} render={render} hands={hands} />
          ))}
          {all && all.files > rows.length && rows.length >= count && (
            <li className="px-3 py-2">
              <Button weight="quiet" onClick={() => setCount(Math.min(2000, count + AT_ONCE))}>
                Show more of {all.files} files
              </Button>
            </li>
          )}
        </ul>
      )}
    </section>
  );
}

/** What can be done with the files that are picked. */
function Picked({ hands }: { hands: Hands }) {
  const are = (...states: string[]) => hands.chosen.some((row) => states.includes(row.state));
  const actions = [
    are("waiting") && (["First", hands.first] as const),
    are("waiting") && (["Urgent", () => hands.does("urgent")] as const),
    are("waiting") && (["Normal", () => hands.does("normal")] as const),
    are("waiting") && (["When idle", () => hands.does("idle")] as const),
    hands.chosen.some((row) => row.state === "waiting" && !row.paused) &&
      (["Pause", () => hands.does("pause")] as const),
    hands.chosen.some((row) => row.paused) && (["Go on", () => hands.does("go-on")] as const),
    are("waiting", "rendering", "proving") && (["Cancel", () => hands.does("cancel")] as const),
    are("failed", "cancelled") && (["Try again", () => hands.does("retry")] as const),
    ["None", hands.clear] as const,
  ];
  return (
    <div
      className="flex shrink-0 flex-wrap items-center border-b border-hair px-3 py-0.5 text-[12.5px]"
      role="group"
      aria-label="Picked files"
    >
      <span className="mr-1 text-soft">{inFiles(hands.chosen.length)}:</span>
      {actions.map(
        (action) =>
          action && (
            <Button key={action[0]} weight="quiet" className="h-6! px-1!" onClick={action[1]}>
              {action[0]}
            </Button>
          ),
      )}
    </div>
  );
}

/** Whether the browser says when nothing is under way any more, and the saying of it. */
function Notify({ underWay, failed }: { underWay: number | null; failed: number }) {
  const [kept, keep] = useLayout("queue", QUIET);
  const before = useRef<number | null>(null);
  useEffect(() => {
    if (underWay === null) return;
    if (kept.notify && before.current && underWay === 0 && Notification.permission === "granted")
      new Notification("Odd Meter: all files are made", {
        body: failed ? `${inFiles(failed)} failed.` : "All of them are proven.",
      });
    before.current = underWay;
  }, [underWay, failed, kept.notify]);
  if (typeof Notification === "undefined") return null;
  const set = async (notify: boolean) => {
    const allowed = notify ? await Notification.requestPermission() : "granted";
    keep({ notify: notify && allowed === "granted" });
  };
  return (
    <label className="flex items-center gap-1.5 text-[12.5px] font-normal text-soft">
      <input
        type="checkbox"
        className="accent-(--patina)"
        checked={kept.notify}
        onChange={(event) => void set(event.target.checked)}
      />
      notify me at the end
    </label>
  );
}

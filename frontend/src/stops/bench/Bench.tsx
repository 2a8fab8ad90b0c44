import { useMemo } from "react";
import { Navigate, useParams, useSearchParams } from "react-router";
import { useLedger, useRow, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { Empty, Waiting } from "../../ui/parts";
import { ClipName } from "./ClipName";
import { sideAsked, useBench, useSide, type SideAsked } from "./data";
import { Opened } from "./Opened";

const NOTHING: SideAsked = {};

/** The Bench without a clip: the selected one, or the first. */
export function BenchChoice() {
  const showId = useShowId();
  const ledger = useLedger(showId);
  const { ids } = useSelection();
  if (ledger.isPending) return <Waiting what="Looking for clips" why={ledger.failureReason} />;
  const chosen = ledger.data?.ids.find((id) => ids.has(id)) ?? ledger.data?.ids[0];
  if (chosen === undefined) return <Empty title="There are no clips yet.">Import footage in Intake.</Empty>;
  return <Navigate to={`/shows/${showId}/bench/${chosen}`} replace />;
}

/** The Bench: one clip, two sides, frame by frame. */
export function Bench() {
  const showId = useShowId();
  const clipId = +(useParams().clipId ?? 0);
  const bench = useBench(showId, clipId);
  const [search] = useSearchParams();
  const asked = useMemo(() => sideAsked(search), [search]);
  const a = useSide(showId, clipId, NOTHING);
  const b = useSide(showId, clipId, asked);
  const error = bench.error ?? a.error;
  const row = useRow(showId, error ? clipId : undefined);
  if (bench.isPending || a.isPending) return <Waiting what="Opening the clip" why={bench.failureReason} />;
  if (!bench.data || !a.data)
    return (
      <div className="flex h-full min-h-0 flex-col">
        <div className="flex min-h-9 shrink-0 items-center gap-x-3 border-b border-hair px-2 py-1">
          <ClipName showId={showId} clipId={clipId} name={row.data?.id === clipId ? row.data.name : ""} />
        </div>
        <Empty title="This clip cannot be shown.">{error?.message}</Empty>
      </div>
    );
  return (
    <Opened
      key={clipId}
      showId={showId}
      bench={bench.data}
      a={a.data}
      b={b.data ?? a.data}
      asked={asked}
      trouble={b.error?.message}
    />
  );
}

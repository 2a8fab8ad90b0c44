import { useMemo } from "react";
import { Navigate, useParams, useSearchParams } from "react-router";
import { useLedger, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { Empty, Waiting } from "../../ui/parts";
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
  if (chosen === undefined) return <Empty title="There is no clip to look at yet.">Bring footage in at Intake.</Empty>;
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
  if (bench.isPending || a.isPending) return <Waiting what="Opening the clip" why={bench.failureReason} />;
  const error = bench.error ?? a.error;
  if (!bench.data || !a.data) return <Empty title="This clip cannot be shown.">{error?.message}</Empty>;
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

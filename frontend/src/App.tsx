import { Navigate, Outlet, Route, Routes, useParams } from "react-router";
import { useLiveEvents, useShow, useShows } from "./data/queries";
import { SelectionProvider } from "./data/selection";
import { VocabularyProvider } from "./data/vocabulary";
import { HeadLine } from "./frame/HeadLine";
import { StopRail } from "./frame/StopRail";
import { useNoStrayFiles } from "./frame/strayFiles";
import { Assembly, AssemblyChoice } from "./stops/assembly/Assembly";
import { Bench, BenchChoice } from "./stops/bench/Bench";
import { Brief } from "./stops/brief/Brief";
import { NewShow } from "./stops/brief/NewShow";
import { Handoff } from "./stops/handoff/Handoff";
import { Intake } from "./stops/intake/Intake";
import { Plan } from "./stops/plan/Plan";
import { KeysProvider } from "./ui/keys";
import { Empty, Waiting } from "./ui/parts";

/** Every view has an address of its own: /shows/1/plan and so on. */
export function App() {
  useLiveEvents();
  useNoStrayFiles();
  return (
    <VocabularyProvider>
      <KeysProvider>
        <Views />
      </KeysProvider>
    </VocabularyProvider>
  );
}

function Views() {
  return (
    <Routes>
      <Route path="/" element={<FirstShow />} />
      <Route path="/new" element={<NewShow />} />
      <Route path="/shows/:showId" element={<ShowFrame />}>
        <Route index element={<Navigate to="plan" replace />} />
        <Route path="brief" element={<Brief />} />
        <Route path="intake" element={<Intake />} />
        <Route path="plan" element={<Plan />} />
        <Route path="bench" element={<BenchChoice />} />
        <Route path="bench/:clipId" element={<Bench />} />
        <Route path="assembly" element={<AssemblyChoice />} />
        <Route path="assembly/:timelineId" element={<Assembly />} />
        <Route path="handoff" element={<Handoff />} />
      </Route>
      <Route path="*" element={<NoSuchPlace />} />
    </Routes>
  );
}

function FirstShow() {
  const shows = useShows();
  if (shows.isPending) return <Waiting what="Looking for shows" why={shows.failureReason} />;
  if (shows.error && !shows.data) return <Empty title="The shows cannot be read.">{shows.error.message}</Empty>;
  const first = shows.data[0];
  return first ? <Navigate to={`/shows/${first.id}/plan`} replace /> : <NewShow />;
}

function ShowFrame() {
  const showId = Number(useParams().showId);
  const show = useShow(showId);
  if (show.isPending) return <Waiting what="Opening the show" why={show.failureReason} />;
  if (show.error && !show.data) return <Empty title="This show cannot be opened.">{show.error.message}</Empty>;
  return (
    <SelectionProvider key={showId} showId={showId}>
      <div className="grid h-full grid-cols-[98px_minmax(0,1fr)] grid-rows-[44px_minmax(0,1fr)]">
        <HeadLine show={show.data} />
        <StopRail showId={showId} />
        <main className="min-h-0 min-w-0">
          <Outlet />
        </main>
      </div>
    </SelectionProvider>
  );
}

function NoSuchPlace() {
  return (
    <Empty title="There is nothing at this address.">
      <a className="text-patina underline" href="/">
        Go to the first show
      </a>
    </Empty>
  );
}

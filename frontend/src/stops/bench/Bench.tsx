import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Navigate, useNavigate, useParams, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../data/client";
import { useAct, useLedger, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { useNotice } from "../../ui/Notice";
import { Button, Empty, fieldLook, Number, Waiting } from "../../ui/parts";
import { Changes } from "./Changes";
import { useBench, useShown, useSide, type SideAsked } from "./data";
import { FullStrip, type Stretch } from "./FullStrip";
import { usePlayer } from "./player";
import { ShownLine } from "./ShownLine";
import { SideB } from "./SideB";
import { Stage, WAYS, type Compare } from "./Stage";
import type { Area, Quality } from "./View";

const CHECKED = 96;
const ZOOMS = [1, 2, 4, 8];
const AREAS: Area[] = ["whole", "upper", "lower"];
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
  const asked = useMemo(() => JSON.parse(search.get("b") ?? "{}") as SideAsked, [search]);
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

function Opened(props: {
  showId: number;
  bench: Schemas["BenchView"];
  a: Schemas["SideView"];
  b: Schemas["SideView"];
  asked: SideAsked;
  trouble: string | undefined;
}) {
  const { showId, bench, a, b, asked, trouble } = props;
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const notice = useNotice();
  const ledger = useLedger(showId).data;
  const length = Math.max(a.length.frames, b.length.frames);
  const [frame, setFrame] = useState(() => Math.max(0, +(search.get("frame") ?? 0) || 0));
  const [compare, setCompare] = useState<Compare>("beside");
  const [zoom, setZoom] = useState(1);
  const [quality, setQuality] = useState<Quality>("final");
  const [area, setArea] = useState<Area>("whole");
  const [stretch, setStretch] = useState<Stretch | null>(null);
  const [loops, setLoops] = useState(false);
  const [checks, setChecks] = useState(false);
  const [stripOf, setStripOf] = useState<"A" | "B">("A");
  const strip = stripOf === "A" ? a : b;
  const at = Math.min(frame, length - 1);
  const go = useCallback((to: number) => setFrame(Math.max(0, Math.min(length - 1, to))), [length]);
  const player = usePlayer({
    tokens: a.token === b.token ? [a.token] : [a.token, b.token],
    frame: at,
    first: loops && stretch ? stretch.first : 0,
    last: loops && stretch ? stretch.last : length - 1,
    loops,
    seconds: bench.frame_seconds,
    size: quality,
    go,
  });
  const playing = player.play.speed !== 0;
  const shownA = useShown(a.token, Math.min(at, a.length.frames - 1)).data;
  const shownB = useShown(b.token, Math.min(at, b.length.frames - 1)).data;
  const root = useRef<HTMLDivElement>(null);
  useEffect(() => root.current?.focus(), []);

  // What the address says by now, not what it said when this was drawn: the frame is written with a delay.
  const put = useCallback(
    (key: string, value: string | null) => {
      const now = new URLSearchParams(window.location.search);
      if ((now.get(key) ?? null) === value) return;
      if (value) now.set(key, value);
      else now.delete(key);
      setSearch(now, { replace: true });
    },
    [setSearch],
  );
  const setB = (next: SideAsked) => put("b", Object.keys(next).length ? JSON.stringify(next) : null);
  useEffect(() => {
    if (playing) return;
    const timer = setTimeout(() => put("frame", at ? String(at) : null), 250);
    return () => clearTimeout(timer);
  }, [playing, at, put]);

  const decide = useAct(
    (change: SideAsked) =>
      answer(
        api.POST("/api/shows/{show_id}/treatments", {
          params: { path: { show_id: showId } },
          body: { ...change, clips: [{ id: bench.id, revision: bench.revision }] } as Schemas["PlanChange"],
        }),
      ),
    (made) => made.title,
  );
  const keep = () => {
    if (Object.keys(asked).length === 0) return;
    decide.mutate(asked, { onSuccess: () => setB({}) });
  };
  const trim = (first: number, last: number) => {
    if (first > last) {
      notice.complain(`The in point ${first} would lie behind the out point ${last}.`);
      return;
    }
    const whole = first === 0 && last === bench.frames - 1;
    decide.mutate({ set: { span: whole ? "whole" : `${first}-${last}` } });
  };
  const seek = async (what: Schemas["Spot"], step: 1 | -1) => {
    try {
      const found = await answer(
        api.GET("/api/bench/{token}/spot", {
          params: { path: { token: a.token }, query: { what, frame: at, step, other: b.token } },
        }),
      );
      if (found.frame !== null) go(found.frame);
      else notice.say(`There is no ${what} ${step > 0 ? "after" : "before"} frame ${at}.`);
    } catch (error) {
      notice.complain(error instanceof Error ? error.message : "Nothing found.");
    }
  };
  const from = stretch ? stretch.first : Math.max(0, Math.min(at - CHECKED / 2, strip.length.frames - CHECKED));
  const span = stretch ? stretch.last - stretch.first + 1 : CHECKED;
  const check = { first: from, count: Math.min(span, 120, strip.length.frames - from) };
  const faster = (way: 1 | -1) => {
    const now = player.play.speed;
    player.set(Math.sign(now) === way ? Math.max(-8, Math.min(8, now * 2)) : way);
  };
  const cycle = <T,>(all: readonly T[], now: T): T => all[(all.indexOf(now) + 1) % all.length] ?? now;
  const keys: Record<string, (shift: boolean) => void> = {
    ArrowRight: (shift) => go(at + (shift ? 10 : 1)),
    ArrowLeft: (shift) => go(at - (shift ? 10 : 1)),
    "]": () => void seek("period", 1),
    "[": () => void seek("period", -1),
    Home: () => go(0),
    End: () => go(length - 1),
    " ": () => player.set(playing ? 0 : 1),
    l: () => faster(1),
    k: () => player.set(0),
    j: () => faster(-1),
    d: (shift) => void seek("difference", shift ? -1 : 1),
    g: (shift) => void seek("drop", shift ? -1 : 1),
    r: (shift) => void seek("repeat", shift ? -1 : 1),
    h: (shift) => void seek("hiccup", shift ? -1 : 1),
    c: (shift) => void seek("cut", shift ? -1 : 1),
    i: () => shownA && trim(shownA.source_frame, bench.last_frame),
    o: () => shownA && trim(bench.first_frame, shownA.source_frame),
    a: () => setStretch((now) => ({ first: at, last: Math.max(at, now?.last ?? length - 1) })),
    e: () => setStretch((now) => ({ first: Math.min(at, now?.first ?? 0), last: at })),
    p: () => setLoops((now) => !now),
    w: () => setCompare((now) => cycle(WAYS, now)),
    z: () => setZoom((now) => cycle(ZOOMS, now)),
    f: () => setArea((now) => cycle(AREAS, now === "trust" ? "whole" : now)),
    t: () => setArea((now) => (now === "trust" ? "whole" : "trust")),
    q: () => setQuality((now) => (now === "final" ? "draft" : "final")),
    u: () => setChecks((now) => !now),
    b: () => setStripOf((now) => (now === "A" ? "B" : "A")),
    Escape: () => setStretch(null),
  };
  const press = (event: React.KeyboardEvent) => {
    const target = event.target as HTMLElement;
    if (["INPUT", "SELECT", "TEXTAREA"].includes(target.tagName)) return;
    if ((event.ctrlKey || event.metaKey) && event.key === "Enter") keep();
    else if (event.ctrlKey || event.metaKey || event.altKey) return;
    else {
      if (target.tagName === "BUTTON" && [" ", "Enter"].includes(event.key)) return;
      const act = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
      if (!act) return;
      act(event.shiftKey);
    }
    event.preventDefault();
  };
  const place = ledger?.ids.indexOf(bench.id) ?? -1;
  const beside = (step: number) => {
    const next = ledger?.ids[place + step];
    if (next !== undefined) void navigate(`/shows/${showId}/bench/${next}`);
  };

  return (
    <div ref={root} tabIndex={-1} onKeyDown={press} className="flex h-full min-h-0 flex-col outline-none">
      <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b border-hair px-2 py-1">
        <Button weight="quiet" className="h-6! px-1!" disabled={place <= 0} onClick={() => beside(-1)}>
          ‹<span className="sr-only">The clip before</span>
        </Button>
        <h1 className="font-semibold">{bench.name}</h1>
        <Button
          weight="quiet"
          className="h-6! px-1!"
          disabled={!ledger || place < 0 || place >= ledger.ids.length - 1}
          onClick={() => beside(1)}
        >
          ›<span className="sr-only">The next clip</span>
        </Button>
        <span className="text-soft">
          <Number>{bench.file_rate.spoken}</Number> on <Number>{bench.timeline_rate.spoken}</Number>
          {bench.shot_rate && (
            <>
              , shot at <Number>{bench.shot_rate.spoken}</Number>
            </>
          )}
        </span>
        <span className="flex-1" />
        <Range bench={bench} trim={trim} key={`${bench.first_frame} ${bench.last_frame}`} />
      </div>
      <div className="grid shrink-0 grid-cols-2 gap-px border-b border-hair bg-hair">
        <SideWords name="A" what="as planned" side={a} />
        <div className="min-w-0 bg-ground px-2 py-1">
          <SideWords name="B" what={b.words.join(", ") || "as planned too"} side={b} bare />
          <div className="mt-0.5 flex items-start gap-1">
            <div className="min-w-0 flex-1">
              <SideB asked={asked} side={b} set={setB} key={JSON.stringify(asked.intent ?? null)} />
            </div>
            <Button
              weight="main"
              className="h-6! px-2!"
              disabled={Object.keys(asked).length === 0 || decide.isPending}
              onClick={keep}
            >
              Keep B
            </Button>
          </div>
          {trouble && <div className="text-madder">▲ {trouble}</div>}
        </div>
      </div>
      <Stage {...{ a, b, compare, zoom, quality, area, playing }} frame={at} />
      <div className="grid shrink-0 grid-cols-2 gap-px border-b border-hair bg-hair">
        <div className="min-w-0 bg-ground">
          <ShownLine name="A" side={a} shown={shownA} />
        </div>
        <div className="min-w-0 bg-ground">
          <ShownLine name="B" side={b} shown={shownB} />
        </div>
      </div>
      <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-1 px-2 py-1" role="toolbar" aria-label="Moving">
        <Button className="h-6!" onClick={() => player.set(playing ? 0 : 1)} aria-label={playing ? "Stop" : "Play"}>
          {playing ? "■ stop" : "▶ play"}
        </Button>
        <FrameField frame={at} last={length - 1} go={go} />
        <Number className="w-[92px] text-soft">{shownA?.timecode}</Number>
        <Toggle on={loops} does={() => setLoops(!loops)} name={stretch ? "loop stretch" : "loop"} />
        <span className="mx-1 h-5 w-px bg-hair" />
        <span className="text-[12px] text-soft">next</span>
        {(["difference", "drop", "repeat", "hiccup", "cut"] as const).map((what) => (
          <Button key={what} weight="quiet" className="h-6! px-1.5!" onClick={() => void seek(what, 1)}>
            {what}
          </Button>
        ))}
        <span className="mx-1 h-5 w-px bg-hair" />
        <select
          aria-label="Compare"
          className={`${fieldLook} h-6! w-[112px]! px-1!`}
          value={compare}
          onChange={(event) => setCompare(event.target.value as Compare)}
        >
          <option value="beside">side by side</option>
          <option value="wipe">wipe</option>
          <option value="difference">difference</option>
          <option value="blink">blink</option>
        </select>
        <Button className="h-6!" onClick={() => setZoom(cycle(ZOOMS, zoom))} aria-label={`Zoom, now ${zoom} times`}>
          zoom <Number>{zoom} ×</Number>
        </Button>
        <select
          aria-label="What is shown of a picture"
          className={`${fieldLook} h-6! w-[124px]! px-1!`}
          value={area}
          onChange={(event) => setArea(event.target.value as Area)}
        >
          <option value="whole">whole picture</option>
          <option value="upper">upper field</option>
          <option value="lower">lower field</option>
          <option value="trust">with trust map</option>
        </select>
        <Toggle
          on={quality === "draft"}
          does={() => setQuality(quality === "draft" ? "final" : "draft")}
          name="draft"
        />
        <Toggle on={checks} does={() => setChecks(!checks)} name="check frames" />
        <span className="flex-1" />
        {(playing || player.play.shown > 0) && (
          <span role="status" className={player.play.dropped ? "text-brass" : "text-soft"}>
            {playing ? `playing ${player.play.speed === 1 ? "" : `${player.play.speed} × `}` : "played "}
            <Number>{player.play.shown}</Number> shown, <Number>{player.play.dropped}</Number> dropped
          </span>
        )}
      </div>
      {checks && <Changes token={strip.token} side={stripOf} {...check} frame={at} go={go} />}
      <FullStrip
        token={strip.token}
        length={strip.length.frames}
        frame={Math.min(at, strip.length.frames - 1)}
        side={stripOf}
        swap={() => setStripOf(stripOf === "A" ? "B" : "A")}
        stretch={stretch}
        go={go}
        select={setStretch}
      />
    </div>
  );
}

function SideWords(props: { name: string; what: string; side: Schemas["SideView"]; bare?: boolean }) {
  const { name, what, side, bare } = props;
  return (
    <div className={`min-w-0 bg-ground ${bare ? "" : "px-2 py-1"}`}>
      <div className="flex items-baseline gap-2 truncate">
        <span className="font-semibold">{name}</span>
        <span className="truncate">{what}</span>
      </div>
      <div className="truncate text-[12px] leading-4 text-soft">
        <Number>{side.speed}</Number> · <Number>{side.length.frames}</Number> frames,{" "}
        <Number>{side.length.timecode}</Number> · {side.kind} <Number>{side.pattern}</Number>
        {side.dropped > 0 && (
          <>
            {" "}
            · <Number>{side.dropped}</Number> dropped
          </>
        )}
        {side.repeated > 0 && (
          <>
            {" "}
            · <Number>{side.repeated}</Number> repeated
          </>
        )}
        {side.scan !== "progressive" && <> · interlaced, {side.scan} first</>}
      </div>
    </div>
  );
}

function Toggle({ on, does, name }: { on: boolean; does: () => void; name: string }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={does}
      className={`h-6 border px-2 whitespace-nowrap ${on ? "border-patina bg-patina text-on-patina" : "border-hair bg-raised hover:border-patina"}`}
    >
      {name}
    </button>
  );
}

function FrameField({ frame, last, go }: { frame: number; last: number; go: (frame: number) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = () => {
    if (typed !== null && /^\d+$/.test(typed.trim())) go(+typed);
    else if (typed !== null && /^[+-]\d+$/.test(typed.trim())) go(frame + +typed);
    setTyped(null);
  };
  return (
    <label className="flex items-center gap-1 text-[12px] text-soft">
      frame
      <input
        className={`${fieldLook} h-6! w-[64px]! px-1! text-right font-mono text-[12.5px]`}
        value={typed ?? String(frame)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={take}
        onKeyDown={(event) => event.key === "Enter" && take()}
      />
      of <Number>{last}</Number>
    </label>
  );
}

function Range({ bench, trim }: { bench: Schemas["BenchView"]; trim: (first: number, last: number) => void }) {
  const [first, setFirst] = useState(String(bench.first_frame));
  const [last, setLast] = useState(String(bench.last_frame));
  const take = () => {
    if (/^\d+$/.test(first) && /^\d+$/.test(last) && (+first !== bench.first_frame || +last !== bench.last_frame))
      trim(+first, Math.min(+last, bench.frames - 1));
  };
  const field = (name: string, value: string, set: (text: string) => void) => (
    <label className="flex items-center gap-1 text-[12px] text-soft">
      {name}
      <input
        className={`${fieldLook} h-6! w-[64px]! px-1! text-right font-mono text-[12.5px]`}
        value={value}
        onChange={(event) => set(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && take()}
      />
    </label>
  );
  const trimmed = bench.first_frame > 0 || bench.last_frame < bench.frames - 1;
  return (
    <span
      className="flex items-center gap-2"
      role="group"
      aria-label="Range in source frames"
      onBlur={(event) => !event.currentTarget.contains(event.relatedTarget) && take()}
    >
      {field("in", first, setFirst)}
      {field("out", last, setLast)}
      <span className="text-[12px] text-soft">
        <Number>{bench.last_frame - bench.first_frame + 1}</Number> of <Number>{bench.frames}</Number> source frames
      </span>
      {trimmed && (
        <Button weight="quiet" className="h-6! px-1!" onClick={() => trim(0, bench.frames - 1)}>
          Whole clip
        </Button>
      )}
    </span>
  );
}

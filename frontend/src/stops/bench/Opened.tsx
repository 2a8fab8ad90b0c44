import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../data/client";
import { Button, Number } from "../../ui/parts";
import { ClipName } from "./ClipName";
import { Changes } from "./strip/Changes";
import { useCurve } from "./strip/curve";
import { CurveLane } from "./strip/CurveLane";
import { CurvePanel } from "./strip/CurvePanel";
import { shownQuery, sideAsked, useShown, type SideAsked } from "./data";
import { FullStrip } from "./strip/FullStrip";
import { useBenchKeys } from "./keys";
import { USUAL_LOOKS, type Looks } from "./looks";
import { useAddress, useBenchDecisions, useSeek } from "./moves";
import { usePlayer } from "./pictures/player";
import { Range } from "./Range";
import { ShownLine } from "./ShownLine";
import { SideB } from "./SideB";
import { SideWords } from "./SideWords";
import { Stage } from "./pictures/Stage";
import { MomentsRow } from "./sound/MomentsRow";
import { useMusic, type Moment } from "./sound/music";
import { MusicLane } from "./sound/MusicLane";
import { MusicPanel } from "./sound/MusicPanel";
import { WaveLane } from "./sound/WaveLane";
import { Toolbar } from "./Toolbar";

const CHECKED = 96;
const MOST_CHECKED = 120;
/** Timeline frames within which a point snaps. */
const SNAPS = 2;

/** A clip on the Bench: what it is, its two sides, their pictures at one frame, and the strip. */
export function Opened(props: {
  showId: number;
  bench: Schemas["BenchView"];
  a: Schemas["SideView"];
  b: Schemas["SideView"];
  asked: SideAsked;
  trouble: string | undefined;
}) {
  const { showId, bench, a, b, asked, trouble } = props;
  const [search] = useSearchParams();
  const client = useQueryClient();
  const write = useAddress();
  const length = Math.max(a.length.frames, b.length.frames);
  const [frame, setFrame] = useState(() => Math.max(0, +(search.get("frame") ?? 0) || 0));
  const [looks, setLooks] = useState(USUAL_LOOKS);
  const put = useCallback((some: Partial<Looks>) => setLooks((now) => ({ ...now, ...some })), []);
  const { compare, zoom, quality, area, stretch, loops, checks, stripOf } = looks;
  const strip = stripOf === "A" ? a : b;
  const withMusic = (strip.parts.music ?? "none") !== "none";
  const own = strip.sounds.length - (withMusic ? 1 : 0);
  const stream = Math.min(looks.stream, Math.max(0, own - 1));
  const heard = [...(own ? [stream] : []), ...(withMusic ? [strip.sounds.length - 1] : [])];
  const at = Math.min(frame, length - 1);
  const onStrip = Math.min(at, strip.length.frames - 1);
  const go = useCallback((to: number) => setFrame(Math.max(0, Math.min(length - 1, to))), [length]);
  const player = usePlayer({
    tokens: a.token === b.token ? [a.token] : [a.token, b.token],
    frame: at,
    first: loops && stretch ? stretch.first : 0,
    last: loops && stretch ? stretch.last : length - 1,
    loops,
    seconds: bench.frame_seconds,
    size: quality,
    heard: looks.sound
      ? heard.map((one) => ({
          name: `${strip.token} ${one}`,
          seconds: bench.frame_seconds,
          last: strip.length.frames - 1,
          url: (first: number, count: number) =>
            `/api/bench/${strip.token}/sound?first=${first}&count=${count}&stream=${one}`,
        }))
      : [],
    go,
  });
  const playing = player.play.speed !== 0;
  const shownA = useShown(a.token, Math.min(at, a.length.frames - 1)).data;
  const shownB = useShown(b.token, Math.min(at, b.length.frames - 1)).data;
  const root = useRef<HTMLDivElement>(null);
  useEffect(() => root.current?.focus(), []);
  // Where what had the focus is not shown any more, the Bench's keys go on.
  const focused = () => {
    if (document.activeElement === document.body) root.current?.focus({ preventScroll: true });
  };
  useLayoutEffect(focused);

  const latestB = () => sideAsked(new URLSearchParams(window.location.search));
  const setB = (next: SideAsked) => write("b", Object.keys(next).length ? JSON.stringify(next) : null);
  useEffect(() => {
    if (playing) return;
    const timer = setTimeout(() => write("frame", at ? String(at) : null), 250);
    return () => clearTimeout(timer);
  }, [playing, at, write]);

  const { deciding, keep, trim } = useBenchDecisions(showId, bench, latestB, () => setB({}));
  const seek = useSeek(a.token, b.token, at, go);
  const ofStrip = () => (stripOf === "B" ? latestB() : {});
  const bends = useCurve(
    showId,
    bench.id,
    strip.curve,
    ofStrip,
    { token: strip.token, within: looks.snaps ? SNAPS : 0 },
    (next) => {
      setB(next);
      put({ stripOf: "B", curves: true });
    },
    (marked) => put({ stretch: marked }),
  );
  const shows = looks.music || withMusic;
  const tune = useMusic({
    showId,
    clipId: bench.id,
    side: strip,
    wanted: shows,
    asked: ofStrip,
    setB: (next) => {
      setB(next);
      put({ stripOf: "B", music: true });
    },
  });
  const { taps, putTaps } = tune;
  useEffect(() => {
    if (!playing && taps) putTaps();
  }, [playing, taps, putTaps]);
  /** Do something with the source frame that a side shows; what is on screen may still be the frame before. */
  const withSource = (token: string, frame: number, does: (source: number) => void) =>
    void client.fetchQuery(shownQuery(token, frame)).then(
      (shown) => shown && does(shown.source_frame),
      () => undefined,
    );
  const chooseMoment = (one: Moment | null) => {
    tune.choose(one);
    put({ music: true });
  };
  /** A beat that is clicked takes the chosen moment, or the chosen point, or else the playhead. */
  const takeStroke = (to: number) => {
    if (tune.chosen) void bends.make({ do: "place", source: tune.chosen.frame, frame: to });
    else if (bends.chosen !== null) void bends.make({ do: "pin", number: bends.chosen, frame: to });
    else go(to);
  };
  const curved = looks.curves || strip.curve.has;
  const press = useBenchKeys({
    ...{
      frame: at,
      withSource: (does) => withSource(strip.token, onStrip, does),
      last: length - 1,
      go,
      player,
      looks,
      put,
      seek,
      keep: () => void bends.settled().then(keep),
      bends,
      tune,
    },
    trimHere: (point) =>
      withSource(a.token, Math.min(at, a.length.frames - 1), (source) =>
        point === "in" ? trim(source, bench.last_frame) : trim(bench.first_frame, source),
      ),
  });
  const from = stretch ? stretch.first : Math.max(0, Math.min(at - CHECKED / 2, strip.length.frames - CHECKED));
  const span = stretch ? stretch.last - stretch.first + 1 : CHECKED;
  const check = { first: from, count: Math.min(span, MOST_CHECKED, strip.length.frames - from) };

  return (
    <div
      ref={root}
      tabIndex={-1}
      onKeyDown={press}
      onBlur={(event) => event.relatedTarget ?? focused()}
      className="flex h-full min-h-0 flex-col outline-none"
    >
      <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b border-hair px-2 py-1">
        <ClipName showId={showId} clipId={bench.id} name={bench.name} />
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
              <SideB asked={asked} latest={latestB} side={b} set={setB} key={JSON.stringify(asked.intent ?? null)} />
            </div>
            <Button
              weight="main"
              className="h-6! px-2!"
              disabled={deciding || Object.keys(asked).length === 0}
              onClick={() => void bends.settled().then(keep)}
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
      <Toolbar
        {...{ player, looks, put, go, seek }}
        frame={at}
        last={strip.length.frames - 1}
        longest={length - 1}
        timecode={shownA?.timecode}
        stretched={stretch !== null}
      />
      {checks && <Changes token={strip.token} side={stripOf} {...check} frame={at} go={go} />}
      <FullStrip
        token={strip.token}
        length={strip.length.frames}
        frame={onStrip}
        side={stripOf}
        swap={() => put({ stripOf: stripOf === "A" ? "B" : "A" })}
        stretch={stretch}
        go={go}
        select={(next) => put({ stretch: next })}
        above={curved ? (axis) => <CurveLane work={bends} {...axis} /> : undefined}
        below={(axis) => (
          <>
            {(shows || tune.marked) && <MomentsRow work={{ ...tune, choose: chooseMoment }} {...axis} />}
            <WaveLane
              side={strip}
              name={stripOf}
              own={own}
              stream={stream}
              choose={(next) => put({ stream: next })}
              frame={onStrip}
              {...axis}
            />
            {withMusic && <MusicLane side={strip} work={tune} take={takeStroke} frame={onStrip} {...axis} />}
          </>
        )}
        more={
          <>
            <Button
              weight="quiet"
              className="h-6!"
              aria-pressed={looks.sound}
              disabled={heard.length === 0}
              onClick={() => put({ sound: !looks.sound })}
            >
              {looks.sound && heard.length ? "♪ sound on" : "♪ sound off"}
            </Button>
            {curved && (
              <Button
                weight="quiet"
                className="h-6!"
                aria-pressed={looks.snaps}
                onClick={() => put({ snaps: !looks.snaps })}
              >
                {looks.snaps ? "snapping on" : "snapping off"}
              </Button>
            )}
            <Button
              weight="quiet"
              className="h-6!"
              aria-pressed={shows}
              disabled={withMusic}
              onClick={() => put({ music: !looks.music })}
            >
              {shows ? "▾" : "▸"} music and moments
            </Button>
            <Button
              weight="quiet"
              className="h-6!"
              aria-pressed={curved}
              disabled={strip.curve.has}
              onClick={() => put({ curves: !looks.curves })}
            >
              {curved ? "▾" : "▸"} speed along the shot
            </Button>
          </>
        }
      />
      {shows && !(curved && (bends.chosen !== null || stretch)) ? (
        <MusicPanel work={tune} frame={at} />
      ) : (
        curved && <CurvePanel work={bends} stretch={stretch} frame={at} beats={tune.music?.beats ?? []} />
      )}
    </div>
  );
}

import type { Schemas } from "../../data/client";
import { useKeys } from "../../ui/keys";
import { AREAS, cycle, ZOOMS, type Looks } from "./looks";
import type { Seek } from "./moves";
import type { CurveWork } from "./strip/curve";
import { curveKeys } from "./strip/curveKeys";
import type { MusicWork } from "./sound/music";
import { musicKeys } from "./sound/musicKeys";
import type { usePlayer } from "./pictures/player";
import { WAYS } from "./pictures/Stage";

/** The keys of the Bench. */
export function useBenchKeys(given: {
  frame: number;
  withSource: (does: (source: number) => void) => void;
  last: number;
  go: (frame: number) => void;
  player: ReturnType<typeof usePlayer>;
  looks: Looks;
  put: (looks: Partial<Looks>) => void;
  seek: Seek;
  keep: () => void;
  trimHere: (point: "in" | "out") => void;
  bends: CurveWork;
  tune: MusicWork;
}) {
  const { frame, withSource, last, go, player, looks, put, seek, keep, trimHere, bends, tune } = given;
  const { stretch, area } = looks;
  const playing = player.play.speed !== 0;
  const faster = (way: 1 | -1) => {
    const now = player.play.speed;
    player.set(Math.sign(now) === way ? Math.max(-8, Math.min(8, now * 2)) : way);
  };
  const seeks = (letter: string, what: Schemas["Spot"], does: string) => ({
    does,
    keys: { [letter]: () => seek(what, 1), [`Shift+${letter}`]: () => seek(what, -1) },
    shown: [letter.toUpperCase()],
  });
  return useKeys("Bench", [
    { does: "a frame back or on", keys: { ArrowLeft: () => go(frame - 1), ArrowRight: () => go(frame + 1) } },
    { does: "ten frames", keys: { "Shift+ArrowLeft": () => go(frame - 10), "Shift+ArrowRight": () => go(frame + 10) } },
    { does: "a period of the pattern", keys: { "[": () => seek("period", -1), "]": () => seek("period", 1) } },
    {
      does: "play back, stop, play on; again: faster",
      keys: { j: () => faster(-1), k: () => player.set(0), l: () => faster(1) },
    },
    { does: "play or stop", keys: { " ": () => player.set(playing ? 0 : 1) } },
    { does: "first or last frame", keys: { Home: () => go(0), End: () => go(last) } },
    seeks("d", "difference", "next difference between the sides; with Shift, the one before"),
    seeks("g", "drop", "next place where source frames are dropped"),
    seeks("r", "repeat", "next repeat"),
    seeks("h", "hiccup", "next hiccup"),
    seeks("c", "cut", "next cut"),
    { does: "in or out point here", keys: { i: () => trimHere("in"), o: () => trimHere("out") } },
    {
      does: "mark the start or end of a range",
      keys: {
        a: () => put({ stretch: { first: frame, last: Math.max(frame, stretch?.last ?? last) } }),
        e: () => put({ stretch: { first: Math.min(frame, stretch?.first ?? 0), last: frame } }),
      },
    },
    { does: "clear the range", keys: { Escape: () => put({ stretch: null }) } },
    { does: "loop the range", keys: { p: () => put({ loops: !looks.loops }) } },
    { does: "side by side, wipe, difference, blink", keys: { w: () => put({ compare: cycle(WAYS, looks.compare) }) } },
    { does: "zoom", keys: { z: () => put({ zoom: cycle(ZOOMS, looks.zoom) }) } },
    {
      does: "whole picture, upper field, lower field",
      keys: { f: () => put({ area: cycle(AREAS, area === "trust" ? "whole" : area) }) },
    },
    {
      does: "overlay the trust map",
      keys: { t: () => put({ area: area === "trust" ? "whole" : "trust" }) },
    },
    { does: "draft or final", keys: { q: () => put({ quality: looks.quality === "final" ? "draft" : "final" }) } },
    {
      does: "show the strip and check of the other side",
      keys: { b: () => put({ stripOf: looks.stripOf === "A" ? "B" : "A" }) },
    },
    { does: "check a range for repeated frames", keys: { u: () => put({ checks: !looks.checks }) } },
    { does: "sound on or off", keys: { m: () => put({ sound: !looks.sound }) } },
    ...musicKeys({ tune, bends, frame, withSource, go, player, looks, put }),
    ...curveKeys(bends, frame, go, looks.stretch),
    { does: "keep side B", keys: { "Mod+Enter": keep } },
  ]);
}

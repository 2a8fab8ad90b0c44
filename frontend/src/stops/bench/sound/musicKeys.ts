import type { KeyRow } from "../../../ui/keys";
import type { Looks } from "../looks";
import type { usePlayer } from "../pictures/player";
import type { CurveWork } from "../strip/curve";
import type { MusicWork } from "./music";

/** The keys of music, moments and markers. */
export function musicKeys(given: {
  tune: MusicWork;
  bends: CurveWork;
  frame: number;
  /** Do something with the source frame that the strip shows there. */
  withSource: (does: (source: number) => void) => void;
  go: (frame: number) => void;
  player: ReturnType<typeof usePlayer>;
  looks: Looks;
  put: (looks: Partial<Looks>) => void;
}): KeyRow[] {
  const { tune, bends, frame, withSource, go, player, looks, put } = given;
  const moment = (way: 1 | -1) => () => {
    put({ music: true });
    const beyond = tune.moments.filter((one) => (one.comes - frame) * way > 0);
    const next = way > 0 ? beyond[0] : beyond.at(-1);
    if (!next) return;
    tune.choose(next);
    go(next.comes);
  };
  const stroke = (way: 1 | -1) => () => {
    const beyond = (tune.music?.strokes ?? []).filter((one) => (one - frame) * way > 0 && one >= 0);
    const next = way > 0 ? beyond[0] : beyond.at(-1);
    if (next !== undefined) go(next);
  };
  return [
    { does: "the moment of the action, or marker, before or after", keys: { "1": moment(-1), "2": moment(1) } },
    { does: "the stroke of the music before or after", keys: { "3": stroke(-1), "4": stroke(1) } },
    {
      does: "the moment or marker that is chosen falls on this frame",
      keys: {
        "5": () => {
          if (tune.chosen) void bends.make({ do: "place", source: tune.chosen.frame, frame });
        },
      },
    },
    {
      does: "add a stroke here, or take out the nearest",
      keys: {
        "6": () => tune.strokes({ do: "add", frame }),
        "7": () => tune.strokes({ do: "remove", frame }),
      },
    },
    {
      does: "a marker here, or away with it",
      keys: {
        "8": () =>
          withSource((source) => {
            put({ music: true });
            const there = tune.moments.find((one) => one.kind === "marker" && one.frame === source);
            tune.mark({ frame: source, away: there !== undefined });
            tune.choose(there ? null : { frame: source, comes: frame, kind: "marker" });
          }),
      },
    },
    { does: "tap strokes while it plays", keys: { Enter: () => player.play.speed !== 0 && tune.tap(player.at()) } },
    { does: "music and moments, shown or not", keys: { "0": () => put({ music: !looks.music }) } },
    { does: "points snap, or not", keys: { v: () => put({ snaps: !looks.snaps }) } },
  ];
}

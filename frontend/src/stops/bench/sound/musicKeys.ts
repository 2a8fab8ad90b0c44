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
  const beat = (way: 1 | -1) => () => {
    const beyond = (tune.music?.beats ?? []).filter((one) => (one - frame) * way > 0 && one >= 0);
    const next = way > 0 ? beyond[0] : beyond.at(-1);
    if (next !== undefined) go(next);
  };
  return [
    { does: "the moment of the action, or marker, before or after", keys: { "1": moment(-1), "2": moment(1) } },
    { does: "previous or next beat", keys: { "3": beat(-1), "4": beat(1) } },
    {
      does: "place the selected moment or marker on this frame",
      keys: {
        "5": () => {
          if (tune.chosen) void bends.make({ do: "place", source: tune.chosen.frame, frame });
        },
      },
    },
    {
      does: "add a beat here, or remove the nearest",
      keys: {
        "6": () => tune.beats({ do: "add", frame }),
        "7": () => tune.beats({ do: "remove", frame }),
      },
    },
    {
      does: "add or remove a marker",
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
    { does: "tap beats during playback", keys: { Enter: () => player.play.speed !== 0 && tune.tap(player.at()) } },
    { does: "show or hide music and moments", keys: { "0": () => put({ music: !looks.music }) } },
    { does: "snapping on or off", keys: { v: () => put({ snaps: !looks.snaps }) } },
  ];
}

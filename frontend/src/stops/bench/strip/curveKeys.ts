import type { KeyRow } from "../../../ui/keys";
import type { CurveWork } from "./curve";
import type { Stretch } from "./drawStrip";

/** The keys of speed along the shot. */
export function curveKeys(work: CurveWork, frame: number, go: (to: number) => void, stretch: Stretch | null): KeyRow[] {
  const { points, even } = work.view;
  const { chosen } = work;
  const step = (way: 1 | -1) => {
    const beyond = [...points.keys()].filter((i) => ((points[i]?.comes ?? 0) - frame) * way > 0.5);
    const next = way > 0 ? beyond[0] : beyond.at(-1);
    if (next === undefined) return;
    work.choose(next);
    go(Math.ceil(points[next]?.comes ?? 0));
  };
  const ofChosen = (does: (number: number) => unknown) => () => chosen !== null && does(chosen);
  const point = chosen === null ? undefined : points[chosen];
  const nudge = (by: number) =>
    ofChosen((number) => work.make({ do: "move", number, frame: Math.max(0, (point?.frame ?? 0) + by) }));
  const slower = (way: 1 | -1) => () => {
    const speeds = even.map((one) => one.text);
    if (stretch && chosen === null) {
      const text = speeds[way > 0 ? 0 : speeds.length - 1];
      return text && work.make({ do: "stretch", frame: stretch.first, last: stretch.last, text });
    }
    return chosen !== null && work.make({ do: way > 0 ? "faster" : "slower", number: chosen });
  };
  /** From soft (0) over straight (1) to at once (3); what cannot go farther stays. */
  const turn = (way: 1 | -1) =>
    ofChosen((number) => {
      const eases = [0, 1, 3];
      const now = Number(point?.ease_begins ?? 0);
      const next = way > 0 ? eases.find((one) => one > now) : eases.filter((one) => one < now).at(-1);
      return work.make({ do: "ease", number, text: String(next ?? (way > 0 ? 3 : 0)) });
    });
  return [
    { does: "add a point here", keys: { n: () => void work.make({ do: "point", frame }) } },
    { does: "the point before or after", keys: { ",": () => step(-1), ".": () => step(1) } },
    { does: "move the point by one source frame", keys: { "Alt+ArrowLeft": nudge(-1), "Alt+ArrowRight": nudge(1) } },
    {
      does: "5 % faster or slower from the point on; in a range: its fastest even speed, or the slow floor",
      keys: { "Alt+ArrowUp": slower(1), "Alt+ArrowDown": slower(-1) },
    },
    { does: "softer or harder ease from the point", keys: { s: turn(-1), "Shift+S": turn(1) } },
    {
      does: "pin the point to this frame, or unpin it",
      keys: {
        y: ofChosen((number) => work.make(point?.at == null ? { do: "pin", number, frame } : { do: "unpin", number })),
      },
    },
    { does: "delete the point", keys: { x: ofChosen((number) => work.make({ do: "remove", number })) } },
    { does: "back to one speed", keys: { "Shift+N": () => work.oneSpeed() } },
  ];
}

import type { KeyRow } from "../../ui/keys";
import type { Asked, Cut, CutEvent } from "./data";

/** What the keys of Assembly do. */
export function eventsKeys(props: {
  cut: Cut;
  head: number;
  chosen: CutEvent[];
  go: (frame: number) => void;
  choose: (ids: number[]) => void;
  act: (asked: Asked) => void;
  follow: () => void;
  nest: () => void;
  list: () => void;
  file: () => void;
}): KeyRow[] {
  const { cut, head, chosen, go, act } = props;
  const one =
    chosen.length > 0 && new Set(chosen.map((event) => event.group ?? event.id)).size === 1 ? chosen[0] : null;
  const ids = chosen.map((event) => event.id);
  const beside = (way: 1 | -1) => {
    const pictures = cut.events.filter((event) => event.track.startsWith("V"));
    const at = one ? pictures.findIndex((event) => event.id === one.id) : -1;
    const next =
      at >= 0
        ? pictures[at + way]
        : pictures.find((event) => event.record_in <= head && head < event.record_in + event.length);
    if (!next) return;
    props.choose([next.id]);
    go(next.record_in);
  };
  const edge = (way: 1 | -1) => {
    const edges = [
      ...new Set([
        ...cut.events.flatMap((event) => [event.record_in, event.record_in + event.length]),
        ...cut.markers.map((marker) => marker.frame),
      ]),
    ];
    edges.sort((a, b) => a - b);
    const found = way > 0 ? edges.find((frame) => frame > head) : edges.reverse().find((frame) => frame < head);
    if (found !== undefined) go(found);
  };
  const trim = (edit: "trim head" | "trim tail") => () => {
    if (!one) return;
    const by = edit === "trim head" ? head - one.record_in : head - (one.record_in + one.length);
    if (by) act({ edit, events: [one.id], by: signed(by) });
  };
  const mark = () => act({ edit: cut.markers.some((marker) => marker.frame === head) ? "unmark" : "mark", at: head });
  const slip = (by: number) => () => ids.length > 0 && act({ edit: "slip", events: ids, by: signed(by) });
  return [
    {
      does: "playhead a frame back or on; with Shift, ten",
      shown: ["←", "→"],
      keys: {
        ArrowLeft: () => go(head - 1),
        ArrowRight: () => go(head + 1),
        "Shift+ArrowLeft": () => go(head - 10),
        "Shift+ArrowRight": () => go(head + 10),
      },
    },
    { does: "the edge or marker before or after", keys: { b: () => edge(-1), n: () => edge(1) } },
    { does: "the event before or after", keys: { u: () => beside(-1), i: () => beside(1) } },
    { does: "first or last frame", keys: { Home: () => go(0), End: () => go(cut.length.frames) } },
    { does: "trim the head to the playhead", keys: { h: trim("trim head") } },
    { does: "trim the tail to the playhead", keys: { t: trim("trim tail") } },
    {
      does: "split the event at the playhead",
      keys: { "/": () => one && act({ edit: "split", events: [one.id], at: head }) },
    },
    {
      does: "slip by one source frame",
      shown: ["Alt ←", "Alt →"],
      keys: { "Alt+ArrowLeft": slip(-1), "Alt+ArrowRight": slip(1) },
    },
    {
      does: "fill the gap after the event with source frames",
      keys: { g: () => one && act({ edit: "fill", events: [one.id], value: "source" }) },
    },
    { does: "delete the events", keys: { Delete: () => ids.length > 0 && act({ edit: "delete", events: ids }) } },
    { does: "add or remove a marker at the playhead", keys: { x: mark } },
    { does: "make a timeline of the events", keys: { y: props.nest } },
    { does: "ripple on or off: later events move or stay", keys: { o: props.follow } },
    { does: "import a list", keys: { r: props.list } },
    { does: "make files of the selected events, or of all", keys: { "Mod+Enter": props.file } },
    {
      does: "select all events, or none",
      keys: { "Mod+a": () => props.choose(cut.events.map((event) => event.id)), Escape: () => props.choose([]) },
    },
  ];
}

export function signed(by: number): string {
  return by < 0 ? String(by) : `+${by}`;
}

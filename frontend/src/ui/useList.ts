import { useMemo, useRef, useState, type KeyboardEvent, type MouseEvent } from "react";
import { useSelection } from "../data/selection";
import { useKeys, type KeyRow } from "./keys";

interface Named {
  id: number;
  name: string;
}

/** Milliseconds after a jump was shown in which a further character goes on with the same name. */
const TYPING_PAUSE = 1000;

/** How every list of clips is moved in and selected from, by mouse and keyboard, beginning at what is selected already;
 * `keys` are the view's own. */
export function useList(
  rows: Named[],
  props: { title: string; page: () => number; show: (index: number) => void; keys: KeyRow[] },
) {
  const { ids, set } = useSelection();
  const [at, setAt] = useState<number | null>(null);
  const anchor = useRef<number | null>(null);
  const typed = useRef({ text: "", when: 0 });
  const selected = useMemo(() => rows.findIndex((row) => ids.has(row.id)), [rows, ids]);
  const current = Math.max(0, Math.min(at ?? selected, rows.length - 1));

  const range = (a: number, b: number) => rows.slice(Math.min(a, b), Math.max(a, b) + 1).map((row) => row.id);
  const move = (to: number, extend = false) => {
    const next = Math.max(0, Math.min(rows.length - 1, to));
    if (extend) {
      anchor.current ??= current;
      set(range(anchor.current, next));
    } else {
      anchor.current = next;
      const row = rows[next];
      if (row) set([row.id]);
    }
    setAt(next);
    props.show(next);
  };
  const toggle = (index: number) => {
    const row = rows[index];
    if (!row) return;
    const next = new Set(ids);
    if (!next.delete(row.id)) next.add(row.id);
    set(next);
    anchor.current = index;
    setAt(index);
  };
  /** Type-ahead. Goes on with any character for which there is a name, so that a digit can be part of one. */
  const jumped = (key: string): boolean => {
    const goesOn = Date.now() - typed.current.when < TYPING_PAUSE && typed.current.text !== "";
    if (key.length !== 1 || (!goesOn && !/^\p{L}$/u.test(key))) return false;
    const text = (goesOn ? typed.current.text + key : key).toLowerCase();
    const found = rows.findIndex((row) => row.name.toLowerCase().startsWith(text));
    if (found < 0) return false;
    typed.current = { text, when: Infinity };
    requestAnimationFrame(() => (typed.current.when = Date.now()));
    move(found);
    return true;
  };
  const down = ids.size || current ? current + 1 : 0;
  const keys = useKeys(props.title, [
    {
      does: "move to the clip above or below",
      keys: { ArrowUp: () => move(current - 1), ArrowDown: () => move(down) },
    },
    {
      does: "select as you move",
      keys: { "Shift+ArrowUp": () => move(current - 1, true), "Shift+ArrowDown": () => move(down, true) },
    },
    { does: "add the clip to the selection or remove it", keys: { " ": () => toggle(current) } },
    { does: "select all shown", keys: { "Mod+a": () => set(rows.map((row) => row.id)) } },
    { does: "clear the selection", keys: { Escape: () => set([]) } },
    {
      does: "first or last clip; with Shift, select up to it",
      shown: ["Home", "End"],
      keys: {
        Home: () => move(0),
        End: () => move(rows.length - 1),
        "Shift+Home": () => move(0, true),
        "Shift+End": () => move(rows.length - 1, true),
      },
    },
    {
      does: "a screen up or down",
      keys: { PageUp: () => move(current - props.page()), PageDown: () => move(current + props.page()) },
    },
    { does: "jump to a name by typing it", shown: ["a … z"], keys: {} },
    ...props.keys,
  ]);
  const press = (event: KeyboardEvent) => {
    const typing = (event.target as HTMLElement).matches("input:not([type=checkbox]), select, textarea");
    if (!typing && !event.ctrlKey && !event.metaKey && !event.altKey && jumped(event.key)) event.preventDefault();
    else keys(event.nativeEvent);
  };
  const click = (event: MouseEvent, index: number) => {
    if (event.shiftKey) move(index, true);
    else if (event.ctrlKey || event.metaKey) toggle(index);
    else move(index);
  };
  return { ids, set, current, press, click, toggle };
}

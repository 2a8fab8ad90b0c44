import { useRef, useState, type KeyboardEvent, type MouseEvent } from "react";
import { useSelection } from "../data/selection";

interface Named {
  id: number;
  name: string;
}

const TYPING_PAUSE = 800;

/** How every list of clips is moved in and selected from, by mouse and keyboard; `acts` are the view's own keys. */
export function useList(
  rows: Named[],
  props: { page: () => number; show: (index: number) => void; acts: Record<string, () => void> },
) {
  const { ids, set } = useSelection();
  const [at, setAt] = useState(0);
  const anchor = useRef(0);
  const typed = useRef({ text: "", when: 0 });
  const current = Math.min(at, rows.length - 1);

  const range = (a: number, b: number) => rows.slice(Math.min(a, b), Math.max(a, b) + 1).map((row) => row.id);
  const move = (to: number, extend: boolean) => {
    const next = Math.max(0, Math.min(rows.length - 1, to));
    if (extend) set(range(anchor.current, next));
    else {
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
    const now = Date.now();
    const goesOn = now - typed.current.when < TYPING_PAUSE && typed.current.text !== "";
    if (key.length !== 1 || (!goesOn && !/^\p{L}$/u.test(key))) return false;
    const text = (goesOn ? typed.current.text + key : key).toLowerCase();
    const found = rows.findIndex((row) => row.name.toLowerCase().startsWith(text));
    if (found < 0) return false;
    typed.current = { text, when: now };
    move(found, false);
    return true;
  };
  const press = (event: KeyboardEvent) => {
    const command = event.ctrlKey || event.metaKey;
    const does: Record<string, () => void> = {
      ArrowDown: () => move(ids.size || current ? current + 1 : 0, event.shiftKey),
      ArrowUp: () => move(current - 1, event.shiftKey),
      PageDown: () => move(current + props.page(), event.shiftKey),
      PageUp: () => move(current - props.page(), event.shiftKey),
      Home: () => move(0, event.shiftKey),
      End: () => move(rows.length - 1, event.shiftKey),
      Escape: () => set([]),
      " ": () => toggle(current),
      ...props.acts,
    };
    if (command && event.key.toLowerCase() === "a") set(rows.map((row) => row.id));
    else if (command || event.altKey) return;
    else if (!jumped(event.key)) {
      const act = does[event.key];
      if (!act) return;
      act();
    }
    event.preventDefault();
  };
  const click = (event: MouseEvent, index: number) => {
    if (event.shiftKey) move(index, true);
    else if (event.ctrlKey || event.metaKey) toggle(index);
    else move(index, false);
  };
  return { ids, set, current, press, click, toggle };
}

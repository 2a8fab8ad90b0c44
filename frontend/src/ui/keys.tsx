import { createContext, useCallback, useContext, useEffect, useId, useMemo, useRef, type ReactNode } from "react";

/**
 * Keys, in one place: a view says what its keys do, gets a handler for them, and by that they stand in the list that
 * `?` opens. A press is written `j`, `ArrowLeft`, `Shift+ArrowLeft`, `Mod+Enter` (Ctrl or ⌘), `?`.
 */
export type Act = () => unknown;

export interface KeyRow {
  does: string;
  keys: Record<string, Act>;
  /** How the keys are written where that is not how they are pressed. */
  shown?: string[];
}

export interface KeyScope {
  title: string;
  rows: KeyRow[];
}

interface Registry {
  put: (id: string, scope: KeyScope) => void;
  drop: (id: string) => void;
  all: () => KeyScope[];
}

const Context = createContext<Registry | null>(null);

export function KeysProvider({ children }: { children: ReactNode }) {
  const scopes = useRef(new Map<string, KeyScope>());
  const registry = useMemo<Registry>(
    () => ({
      put: (id, scope) => void scopes.current.set(id, scope),
      drop: (id) => void scopes.current.delete(id),
      all: () => [...scopes.current.values()],
    }),
    [],
  );
  return <Context.Provider value={registry}>{children}</Context.Provider>;
}

function useRegistry(): Registry {
  const registry = useContext(Context);
  if (!registry) throw new Error("keys are used outside their provider");
  return registry;
}

/** The keys that can be pressed now, by scope: the view's own first, those of everywhere last. */
export function useKeyScopes(): () => KeyScope[] {
  const { all } = useRegistry();
  return useCallback(() => all().sort((a, b) => +(a.title === EVERYWHERE) - +(b.title === EVERYWHERE)), [all]);
}

export const EVERYWHERE = "Everywhere";

type Pressed = Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "altKey" | "shiftKey" | "target" | "preventDefault">;

/** Say what a scope's keys do; returns what handles a key press, true where it did something. */
export function useKeys(title: string, rows: KeyRow[]): (event: Pressed) => boolean {
  const { put, drop } = useRegistry();
  const id = useId();
  useEffect(() => put(id, { title, rows }));
  useEffect(() => () => drop(id), [drop, id]);
  return (event) => {
    const act = find(rows, event);
    if (!act) return false;
    act();
    event.preventDefault();
    return true;
  };
}

/** The same, for keys that work wherever the focus is. */
export function useKeysEverywhere(title: string, rows: KeyRow[]): void {
  const press = useKeys(title, rows);
  const latest = useRef(press);
  useEffect(() => {
    latest.current = press;
  });
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (!overlaid()) latest.current(event);
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);
}

/** True while a dialog lies over the page: its keys are its own. */
const overlaid = () => document.querySelector('[role="dialog"]') !== null;

/** What fields held when they were entered: undoing is the page's while nothing was typed. */
const entered = new WeakMap<EventTarget, string>();
document.addEventListener("focusin", ({ target }) => {
  if (target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement) entered.set(target, target.value);
});
const unchanged = (target: EventTarget | null) =>
  target instanceof HTMLSelectElement ||
  ((target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement) &&
    target.value === entered.get(target));

/** Leave a field: the keys are again those of what it stands in. */
export function leaveField(field: HTMLElement): void {
  const home = field.parentElement?.closest<HTMLElement>("[tabindex]");
  field.blur();
  home?.focus({ preventScroll: true });
}

/** What a press is called: letters in lower case, and Shift only where it is not part of the character. */
export function pressOf(event: Pressed): string {
  const single = event.key.length === 1;
  const letter = single && event.key.toLowerCase() !== event.key.toUpperCase();
  const shift = event.shiftKey && (!single || letter || event.key === " ");
  const mods = [event.ctrlKey || event.metaKey ? "Mod" : "", event.altKey ? "Alt" : "", shift ? "Shift" : ""];
  return [...mods.filter(Boolean), single ? event.key.toLowerCase() : event.key].join("+");
}

function find(rows: KeyRow[], event: Pressed): Act | undefined {
  const press = pressOf(event);
  const act = rows.find((row) => press in row.keys)?.keys[press];
  if (!act) return undefined;
  const target = event.target as HTMLElement | null;
  const undoes = /^Mod\+(Shift\+)?z$/.test(press) && unchanged(target);
  const command = press.startsWith("Mod+") && !/^Mod\+(Shift\+)?[acvxz]$/.test(press);
  if (typing(target) && !command && !undoes) return undefined;
  if (target?.closest("button, a, summary, [role=option]") && [" ", "Enter"].includes(press)) return undefined;
  return act;
}

function typing(target: HTMLElement | null): boolean {
  if (!target) return false;
  if (target instanceof HTMLInputElement) return !["checkbox", "radio", "range", "file"].includes(target.type);
  return target instanceof HTMLTextAreaElement || target instanceof HTMLSelectElement || target.isContentEditable;
}

const WRITTEN: Record<string, string> = {
  ArrowLeft: "←",
  ArrowRight: "→",
  ArrowUp: "↑",
  ArrowDown: "↓",
  " ": "Space",
  Escape: "Esc",
  Mod: "Ctrl",
};

/** A press as it is written on the keyboard. */
export function written(press: string): string {
  return press
    .split(/\+(?=.)/)
    .map((key) => WRITTEN[key] ?? (key.length === 1 ? key.toUpperCase() : key))
    .join(" ");
}

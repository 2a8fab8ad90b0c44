import { useMemo, useSyncExternalStore } from "react";

/* What this browser remembers for its person: a name, a theme. */

const listeners = new Set<() => void>();

function read(key: string, otherwise: string): string {
  return localStorage.getItem(`odd-meter.${key}`) ?? otherwise;
}

function write(key: string, value: string): void {
  localStorage.setItem(`odd-meter.${key}`, value);
  listeners.forEach((tell) => tell());
}

function usePreference(key: string, otherwise: string): [string, (value: string) => void] {
  const value = useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => read(key, otherwise),
  );
  return [value, (next) => write(key, next)];
}

/** A choice of how a view is laid out, kept as JSON. */
export function useLayout<T extends object>(key: string, otherwise: T): [T, (change: Partial<T>) => void] {
  const [kept, keep] = usePreference(key, "{}");
  const value = useMemo(() => ({ ...otherwise, ...(JSON.parse(kept) as Partial<T>) }), [kept, otherwise]);
  return [value, (change) => keep(JSON.stringify({ ...value, ...change }))];
}

export const person = (): string => read("person", "");
export const usePerson = () => usePreference("person", "");
export const useTheme = () => usePreference("theme", "paper");

export function applyTheme(): void {
  document.documentElement.dataset.theme = read("theme", "paper");
}
listeners.add(applyTheme);

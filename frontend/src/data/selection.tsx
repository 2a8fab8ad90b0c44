import { createContext, useCallback, useContext, useMemo, useState, type ReactNode } from "react";

/* Which clips are selected. Plan and Handoff share it; it lasts as long as the browser's tab. */

interface Selection {
  ids: Set<number>;
  set: (ids: Iterable<number>) => void;
}

const Context = createContext<Selection | null>(null);

export function SelectionProvider({ showId, children }: { showId: number; children: ReactNode }) {
  const key = `odd-meter.selection.${showId}`;
  const [ids, setIds] = useState(() => new Set<number>(JSON.parse(sessionStorage.getItem(key) ?? "[]") as number[]));
  const set = useCallback(
    (next: Iterable<number>) => {
      const kept = new Set(next);
      sessionStorage.setItem(key, JSON.stringify([...kept]));
      setIds(kept);
    },
    [key],
  );
  const value = useMemo(() => ({ ids, set }), [ids, set]);
  return <Context.Provider value={value}>{children}</Context.Provider>;
}

export function useSelection(): Selection {
  const selection = useContext(Context);
  if (!selection) throw new Error("useSelection is used outside a show");
  return selection;
}

import { useRef, useState } from "react";

/** Rows of a list that are picked by their keys: one beside others, or, with Shift, all from the last one to it. */
export function usePicked<Key>(keys: Key[]) {
  const [picked, setPicked] = useState<Set<Key>>(new Set());
  const last = useRef<Key | null>(null);
  const pick = (key: Key, shift: boolean) => {
    const next = new Set(picked);
    const to = keys.indexOf(key);
    const before = shift && last.current !== null ? keys.indexOf(last.current) : -1;
    const from = before < 0 ? to : before;
    for (const one of keys.slice(Math.min(from, to), Math.max(from, to) + 1))
      if (shift || !next.delete(one)) next.add(one);
    last.current = key;
    setPicked(next);
  };
  return {
    picked,
    pick,
    pickAll: () => setPicked(new Set(keys)),
    pickNone: () => setPicked(new Set()),
  };
}

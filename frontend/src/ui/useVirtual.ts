import { useVirtualizer, type Virtualizer } from "@tanstack/react-virtual";
import type { RefObject } from "react";

/** Rows of a long list that are drawn only where they are seen. */
export function useVirtual(given: {
  count: number;
  scroller: RefObject<HTMLElement | null>;
  height: (index: number) => number;
  key?: (index: number) => string | number;
  overscan?: number;
}): Virtualizer<HTMLElement, Element> {
  // eslint-disable-next-line react-hooks/incompatible-library -- what it returns changes on every scroll, and is never memoized here
  return useVirtualizer<HTMLElement, Element>({
    count: given.count,
    getScrollElement: () => given.scroller.current,
    estimateSize: given.height,
    overscan: given.overscan ?? 14,
    ...(given.key ? { getItemKey: given.key } : {}),
  });
}

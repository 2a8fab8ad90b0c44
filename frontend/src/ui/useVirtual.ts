import { useVirtualizer, type Virtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, type RefObject } from "react";

/** Pixels of the heading row (`h-7`) that stays above the rows of a list of clips. */
export const HEADS = 28;

/** Rows of a long list that are drawn only where they are seen; `heads` pixels of it stay above them. */
export function useVirtual(given: {
  count: number;
  scroller: RefObject<HTMLElement | null>;
  height: (index: number) => number;
  key?: (index: number) => string | number;
  overscan?: number;
  heads?: number;
}): Virtualizer<HTMLElement, Element> {
  // eslint-disable-next-line react-hooks/incompatible-library -- what it returns changes on every scroll, and is never memoized here
  return useVirtualizer<HTMLElement, Element>({
    count: given.count,
    getScrollElement: () => given.scroller.current,
    estimateSize: given.height,
    overscan: given.overscan ?? 14,
    scrollPaddingEnd: given.heads ?? 0,
    ...(given.key ? { getItemKey: given.key } : {}),
  });
}

/** Keeps a row in sight where the list becomes lower: what is chosen may open a panel under it. */
export function useInSight(view: Virtualizer<HTMLElement, Element>, index: number) {
  const at = useRef(index);
  const height = view.scrollRect?.height;
  useEffect(() => void (at.current = index));
  useEffect(() => view.scrollToIndex(at.current), [height, view]);
}

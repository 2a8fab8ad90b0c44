import { useSyncExternalStore } from "react";

const listen = (tell: () => void) => {
  window.addEventListener("resize", tell);
  return () => window.removeEventListener("resize", tell);
};

/** How much room the window gives: narrow up to 1100 pixels, wide from 1900 on. */
export function useRoom(): "narrow" | "usual" | "wide" {
  return useSyncExternalStore(listen, () =>
    window.innerWidth <= 1100 ? "narrow" : window.innerWidth >= 1900 ? "wide" : "usual",
  );
}

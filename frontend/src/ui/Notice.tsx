import { Check, TriangleAlert, X } from "lucide-react";
import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";

interface Said {
  text: string;
  bad: boolean;
}

interface Notices {
  say: (text: string) => void;
  complain: (text: string) => void;
}

const Context = createContext<Notices>({ say: () => undefined, complain: () => undefined });

export const useNotice = () => useContext(Context);

/** What stands at the foot of the page, or at its right side, that no notice shall lie over. */
export function useKeptClear(edge: "--foot" | "--side") {
  return useCallback(
    (part: HTMLElement | null) => {
      if (!part) return;
      const { style } = document.documentElement;
      const measure = () => style.setProperty(edge, `${edge === "--foot" ? part.offsetHeight : part.offsetWidth}px`);
      const observer = new ResizeObserver(measure);
      observer.observe(part);
      return () => {
        observer.disconnect();
        style.removeProperty(edge);
      };
    },
    [edge],
  );
}

/**
 * One line at the foot of the page, beside what is kept clear, that says what was done, or why it was not; read
 * out to screen readers.
 */
export function NoticeBoard({ children }: { children: ReactNode }) {
  const [said, setSaid] = useState<Said | null>(null);
  const timer = useRef<number>(undefined);
  const show = useCallback((text: string, bad: boolean) => {
    window.clearTimeout(timer.current);
    setSaid({ text, bad });
    if (!bad) timer.current = window.setTimeout(() => setSaid(null), 6000);
  }, []);
  const notices = useMemo(
    () => ({ say: (text: string) => show(text, false), complain: (text: string) => show(text, true) }),
    [show],
  );
  return (
    <Context.Provider value={notices}>
      {children}
      <div
        role="status"
        aria-live="polite"
        className="pointer-events-none fixed right-[var(--side,0px)] bottom-[max(6rem,calc(var(--foot,0px)+0.75rem))] left-24 z-50 flex justify-center px-4"
      >
        {said && (
          <div
            className={`pointer-events-auto flex max-w-3xl items-center gap-2 border px-3 py-1.5 shadow-md ${
              said.bad ? "border-madder bg-madder-wash text-madder" : "border-patina bg-patina-wash text-ink"
            }`}
          >
            {said.bad ? <TriangleAlert size={15} aria-hidden /> : <Check size={15} aria-hidden />}
            <span>{said.text}</span>
            <button
              type="button"
              aria-label="Close this notice"
              className="ml-2 opacity-70"
              onClick={() => setSaid(null)}
            >
              <X size={14} aria-hidden />
            </button>
          </div>
        )}
      </div>
    </Context.Provider>
  );
}

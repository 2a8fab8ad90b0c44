import { ChevronLeft, ChevronRight } from "lucide-react";
import { fieldLook } from "../../../ui/parts";

/** A frame number that is typed, stepped by one or ten, or dragged. */
export function FrameStepper(props: { frame: number; frames: number; set: (frame: number) => void; label: string }) {
  const go = (to: number) => props.set(Math.max(0, Math.min(props.frames - 1, to)));
  const button = "flex h-7 w-7 items-center justify-center border border-hair bg-raised hover:border-patina";
  return (
    <div className="flex items-center gap-1.5">
      <span className="w-12 shrink-0 text-[12.5px] text-soft">{props.label}</span>
      <button
        type="button"
        className={button}
        aria-label={`${props.label}: one back`}
        onClick={() => go(props.frame - 1)}
      >
        <ChevronLeft size={15} aria-hidden />
      </button>
      <input
        aria-label={`${props.label} number`}
        inputMode="numeric"
        className={`${fieldLook} !w-20 text-right font-mono`}
        value={props.frame}
        onChange={(event) => go(Number(event.target.value.replace(/\D/g, "")) || 0)}
        onKeyDown={(event) => {
          const step = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
          if (step === undefined) return;
          event.preventDefault();
          go(props.frame + step);
        }}
      />
      <button
        type="button"
        className={button}
        aria-label={`${props.label}: one on`}
        onClick={() => go(props.frame + 1)}
      >
        <ChevronRight size={15} aria-hidden />
      </button>
      <input
        type="range"
        aria-label={`${props.label} along the clip`}
        className="min-w-0 flex-1 accent-(--patina)"
        min={0}
        max={Math.max(0, props.frames - 1)}
        value={props.frame}
        onChange={(event) => go(Number(event.target.value))}
      />
    </div>
  );
}

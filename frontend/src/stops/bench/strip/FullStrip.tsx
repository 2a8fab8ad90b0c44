import { useEffect, useRef, useState, type PointerEvent, type ReactNode } from "react";
import type { Strip } from "../../../meter/MeterStrip";
import { Button, Number } from "../../../ui/parts";
import { useStrip } from "../data";
import { drawStrip, HEIGHT, LOW_HEIGHT, type Stretch } from "./drawStrip";

const LEAST_WINDOW = 12;

/** The meter strip at full size: timeline frames above, source below, on one axis with playhead and stretch. */
export function FullStrip(props: {
  token: string;
  length: number;
  frame: number;
  stretch: Stretch | null;
  go: (frame: number) => void;
  select: (stretch: Stretch | null) => void;
  side: "A" | "B";
  swap: () => void;
  /** What stands above the strip on its axis. */
  above?: (axis: { strip: Strip; first: number; span: number; width: number }) => ReactNode;
  /** What stands below it on the same axis. */
  below?: (axis: { first: number; span: number; width: number }) => ReactNode;
  more?: ReactNode;
}) {
  const { token, length, frame, stretch, go, select, side, swap, above, below, more } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(900);
  const [span, setSpan] = useState(120);
  const [start, setStart] = useState(0);
  const dragged = useRef<number | null>(null);
  const shownSpan = Math.min(span, length);
  const within = Math.max(0, Math.min(start, length - shownSpan));
  const seen = frame >= within && frame < within + shownSpan;
  const first = seen ? within : Math.max(0, Math.min(frame - Math.floor(shownSpan / 2), length - shownSpan));
  if (first !== start) setStart(first);
  const last = first + shownSpan - 1;
  const strip = useStrip(token, first, last, 600).data;
  const written = !strip || strip.stretches.length > 0 || strip.strip.beats.length === 0;
  const height = written ? HEIGHT : LOW_HEIGHT;

  useEffect(() => {
    const element = canvas.current?.parentElement;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    const target = canvas.current;
    if (!target || !strip) return;
    const ratio = window.devicePixelRatio || 1;
    target.width = width * ratio;
    target.height = height * ratio;
    const pen = target.getContext("2d");
    if (!pen) return;
    pen.scale(ratio, ratio);
    drawStrip(pen, strip, { width, height, first, span: shownSpan, frame, stretch });
  }, [strip, width, height, first, shownSpan, frame, stretch]);

  const at = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    const place = Math.floor(((event.clientX - box.left) / box.width) * shownSpan) + first;
    return Math.max(0, Math.min(length - 1, place));
  };
  const zoom = (factor: number) => {
    const next = Math.max(LEAST_WINDOW, Math.min(length, Math.round(shownSpan * factor)));
    setSpan(next);
    setStart(Math.max(0, Math.round(frame - (frame - first) * (next / shownSpan))));
  };
  return (
    <section aria-label="Meter strip" className="border-t border-hair">
      <div className="flex h-7 items-center gap-2 px-2 text-[12px]">
        <span className="font-semibold whitespace-nowrap">Strip of {side}</span>
        <Button weight="quiet" className="h-6! px-1!" onClick={swap}>
          show {side === "A" ? "B" : "A"}
        </Button>
        <span className="min-w-0 truncate text-soft">
          timeline frames <Number>{first}</Number> to <Number>{last}</Number> of <Number>{length}</Number>
        </span>
        {stretch && (
          <span className="whitespace-nowrap text-patina">
            ▭ range <Number>{stretch.first}</Number> to <Number>{stretch.last}</Number>
          </span>
        )}
        <span className="flex-1" />
        {more}
        <Button weight="quiet" className="h-6!" onClick={() => zoom(0.5)}>
          Zoom in
        </Button>
        <Button weight="quiet" className="h-6!" onClick={() => zoom(2)}>
          Zoom out
        </Button>
        <Button weight="quiet" className="h-6!" onClick={() => setSpan(length)}>
          Fit
        </Button>
      </div>
      <div className="relative px-2">
        {above && strip && above({ strip: strip.strip, first, span: shownSpan, width: width - 16 })}
        <canvas
          ref={canvas}
          role="slider"
          tabIndex={0}
          aria-label="Playhead"
          aria-valuemin={0}
          aria-valuemax={length - 1}
          aria-valuenow={frame}
          style={{ width: "100%", height, touchAction: "none" }}
          className="block cursor-crosshair"
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            const place = at(event);
            if (event.shiftKey) {
              dragged.current = place;
              select({ first: place, last: place });
            } else go(place);
          }}
          onPointerMove={(event) => {
            if (!event.buttons) return;
            const place = at(event);
            const from = dragged.current;
            if (from === null) go(place);
            else select({ first: Math.min(from, place), last: Math.max(from, place) });
          }}
          onPointerUp={() => (dragged.current = null)}
          onWheel={(event) => zoom(event.deltaY > 0 ? 1.25 : 0.8)}
        />
        {below?.({ first, span: shownSpan, width: width - 16 })}
      </div>
    </section>
  );
}

import { useEffect, useRef, useState, type PointerEvent } from "react";
import type { Schemas } from "../../data/client";
import { Button, Number } from "../../ui/parts";
import { useStrip } from "./data";

export interface Stretch {
  first: number;
  last: number;
}

const HEIGHT = 104;
const BEATS = 26;
const SOURCE = 84;
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
}) {
  const { token, length, frame, stretch, go, select, side, swap } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(900);
  const [span, setSpan] = useState(120);
  const [start, setStart] = useState(0);
  const dragged = useRef<number | null>(null);
  const shownSpan = Math.min(span, length);
  const first = Math.max(0, Math.min(start, length - shownSpan));
  const last = first + shownSpan - 1;
  const strip = useStrip(token, first, last, 600).data;

  useEffect(() => {
    const element = canvas.current?.parentElement;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    setStart((now) => {
      const from = Math.max(0, Math.min(now, length - shownSpan));
      if (frame >= from && frame < from + shownSpan) return from;
      return Math.max(0, frame - Math.floor(shownSpan / 2));
    });
  }, [frame, shownSpan, length]);
  useEffect(() => {
    const target = canvas.current;
    if (!target || !strip) return;
    const ratio = window.devicePixelRatio || 1;
    target.width = width * ratio;
    target.height = HEIGHT * ratio;
    const pen = target.getContext("2d");
    if (!pen) return;
    pen.scale(ratio, ratio);
    draw(pen, strip, { width, first, span: shownSpan, frame, stretch });
  }, [strip, width, first, shownSpan, frame, stretch]);

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
        <span className="font-semibold">Strip of {side}</span>
        <Button weight="quiet" className="h-6! px-1!" onClick={swap}>
          show {side === "A" ? "B" : "A"}
        </Button>
        <span className="text-soft">
          timeline frames <Number>{first}</Number> to <Number>{last}</Number> of <Number>{length}</Number>
        </span>
        {stretch && (
          <span className="text-patina">
            ▭ stretch <Number>{stretch.first}</Number> to <Number>{stretch.last}</Number>
          </span>
        )}
        <span className="flex-1" />
        <Button weight="quiet" className="h-6!" onClick={() => zoom(0.5)}>
          Closer
        </Button>
        <Button weight="quiet" className="h-6!" onClick={() => zoom(2)}>
          Wider
        </Button>
        <Button weight="quiet" className="h-6!" onClick={() => setSpan(length)}>
          Whole clip
        </Button>
      </div>
      <div className="relative px-2">
        <canvas
          ref={canvas}
          role="slider"
          tabIndex={0}
          aria-label="Playhead"
          aria-valuemin={0}
          aria-valuemax={length - 1}
          aria-valuenow={frame}
          style={{ width: "100%", height: HEIGHT, touchAction: "none" }}
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
      </div>
    </section>
  );
}

interface Drawn {
  width: number;
  first: number;
  span: number;
  frame: number;
  stretch: Stretch | null;
}

function draw(pen: CanvasRenderingContext2D, strip: Schemas["StripWindow"], look: Drawn) {
  const { width, first, span, frame, stretch } = look;
  const style = getComputedStyle(document.documentElement);
  const colour = (name: string) => style.getPropertyValue(`--${name}`).trim();
  const ink = colour("ink");
  const soft = colour("soft");
  const brass = colour("brass");
  const plum = colour("plum");
  const patina = colour("patina");
  const step = width / span;
  const x = (timelineFrame: number) => (timelineFrame - first + 0.5) * step;
  pen.clearRect(0, 0, width, HEIGHT);
  if (stretch) {
    pen.fillStyle = colour("patina-wash");
    pen.fillRect(x(stretch.first) - step / 2, 0, (stretch.last - stretch.first + 1) * step, HEIGHT);
  }
  pen.fillStyle = colour("hair");
  pen.fillRect(0, BEATS, width, 1);
  pen.fillRect(0, SOURCE, width, 1);
  pen.font = "11px var(--font-mono, monospace)";
  pen.fillStyle = soft;
  ticks(pen, first, span, x);
  if (strip.beats.length) drawBeats(pen, strip, x, { ink, soft, brass, plum });
  else drawColumns(pen, strip, x, { ink, soft, brass, plum });
  pen.fillStyle = brass;
  for (const spot of strip.hiccups) {
    pen.beginPath();
    pen.moveTo(x(spot) - 4, 12);
    pen.lineTo(x(spot) + 4, 12);
    pen.lineTo(x(spot), 18);
    pen.fill();
  }
  pen.fillStyle = colour("madder");
  for (const spot of strip.cuts) {
    pen.fillRect(x(spot) - step / 2 - 1, 14, 2, HEIGHT - 14);
    pen.fillText("cut", x(spot) - step / 2 + 4, SOURCE - 8);
  }
  strip.stretches.forEach((one, i) => {
    const from = x(one.first) - step / 2;
    const to = x(one.last) + step / 2;
    if (to < 0 || from > width) return;
    pen.fillStyle = i % 2 ? soft : brass;
    pen.fillRect(Math.max(0, from), HEIGHT - 3, Math.min(width, to) - Math.max(0, from), 3);
    pen.fillText(one.words, Math.max(2, from + 2), HEIGHT - 5, Math.max(40, to - from - 4));
  });
  pen.strokeStyle = patina;
  pen.lineWidth = 2;
  pen.beginPath();
  pen.moveTo(x(frame), 0);
  pen.lineTo(x(frame), HEIGHT);
  pen.stroke();
}

type Inks = Record<"ink" | "soft" | "brass" | "plum", string>;
type Place = (frame: number) => number;

function ticks(pen: CanvasRenderingContext2D, first: number, span: number, x: Place) {
  const every =
    [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000, 2500, 5000, 10000, 25000].find((n) => span / n <= 14) ?? 50000;
  for (let at = Math.ceil(first / every) * every; at < first + span; at += every) {
    pen.fillRect(x(at), 0, 1, 4);
    pen.fillText(String(at), x(at) + 3, 10);
  }
}

function drawBeats(pen: CanvasRenderingContext2D, strip: Schemas["StripWindow"], x: Place, inks: Inks) {
  const places = new Map<number, number>();
  strip.beats.forEach((beat, i) => {
    if (!places.has(beat.first)) places.set(beat.first, x(strip.first + i));
  });
  const known = [...places.entries()].sort((a, b) => a[0] - b[0]);
  const place = (unit: number) => {
    const exact = places.get(unit);
    if (exact !== undefined) return exact;
    const after = known.find(([at]) => at > unit);
    const before = known.filter(([at]) => at < unit).at(-1);
    if (before && after) return before[1] + ((after[1] - before[1]) * (unit - before[0])) / (after[0] - before[0]);
    return before ? before[1] + 8 : (after?.[1] ?? 0) - 8;
  };
  const seen = new Set<number>();
  strip.beats.forEach((beat, i) => {
    const top = x(strip.first + i);
    const threads: [number, number][] = [[beat.first, 1 - beat.weight]];
    if (beat.weight > 0) threads.push([beat.second, beat.weight]);
    for (const [unit, weight] of threads) {
      seen.add(unit);
      pen.strokeStyle = beat.look === "repeated" || beat.look === "held" ? inks.brass : inks.ink;
      pen.globalAlpha = threads.length > 1 ? 0.25 + 0.6 * weight : 1;
      pen.lineWidth = threads.length > 1 ? 0.6 + weight : 1.2;
      pen.beginPath();
      pen.moveTo(top, BEATS);
      pen.lineTo(place(unit), SOURCE);
      pen.stroke();
    }
    pen.globalAlpha = 1;
    if (beat.look === "made") {
      pen.fillStyle = inks.plum;
      pen.beginPath();
      pen.moveTo(top, BEATS - 6);
      pen.lineTo(top + 5, BEATS);
      pen.lineTo(top, BEATS + 6);
      pen.lineTo(top - 5, BEATS);
      pen.fill();
    } else {
      pen.fillStyle = beat.look === "repeated" || beat.look === "held" ? inks.brass : inks.ink;
      pen.fillRect(top - 1, BEATS - 5, 2, 7);
    }
  });
  for (let unit = strip.source_first; unit < strip.source_stop; unit++) {
    pen.beginPath();
    pen.arc(place(unit), SOURCE, 3, 0, 7);
    if (seen.has(unit)) {
      pen.fillStyle = inks.ink;
      pen.fill();
    } else {
      pen.strokeStyle = inks.soft;
      pen.lineWidth = 1;
      pen.stroke();
    }
  }
}

/** Where frames cannot be told apart: how many of each part are new, repeated and made above, and dropped below. */
function drawColumns(pen: CanvasRenderingContext2D, strip: Schemas["StripWindow"], x: Place, inks: Inks) {
  let at = strip.first;
  for (const column of strip.columns) {
    const left = x(at - 0.5);
    const wide = Math.max(1, x(at + column.frames - 0.5) - left);
    const bar = (share: number, colour: string, base: number, up: boolean) => {
      const high = Math.min(1, share) * 26;
      pen.fillStyle = colour;
      pen.fillRect(left, up ? base - high : base, wide, high);
    };
    bar(1, inks.ink, BEATS + 28, true);
    bar(column.made / column.frames, inks.plum, BEATS + 28, true);
    bar(column.repeated / column.frames, inks.brass, BEATS + 28, true);
    bar(column.dropped / column.frames / 2, inks.soft, BEATS + 30, false);
    at += column.frames;
  }
  pen.fillStyle = inks.soft;
  pen.fillText("above: ▮ new  ▮ repeated (ochre)  ◆ made (plum) · below: dropped", 4, SOURCE + 14);
}

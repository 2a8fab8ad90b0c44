import type { Schemas } from "../../../data/client";
import { isAgain, type Strip } from "../../../meter/MeterStrip";

/** Timeline frames that are marked, both included. */
export interface Stretch {
  first: number;
  last: number;
}

export const HEIGHT = 116;
/** Where nothing is written below the source rail. */
export const LOW_HEIGHT = 94;
const BEATS = 26;
const SOURCE = 84;
/** How high a bar of many frames is. */
const BAR = 26;

interface Drawn {
  width: number;
  height: number;
  first: number;
  span: number;
  frame: number;
  stretch: Stretch | null;
}

/** The full strip on a canvas: beats above, the source rail below, on one axis. */
export function drawStrip(pen: CanvasRenderingContext2D, window: Schemas["StripWindow"], look: Drawn) {
  const { strip, cuts, stretches } = window;
  const { width, height, first, span, frame, stretch } = look;
  const style = getComputedStyle(document.documentElement);
  const colour = (name: string) => style.getPropertyValue(`--${name}`).trim();
  const ink = colour("ink");
  const soft = colour("soft");
  const brass = colour("brass");
  const plum = colour("plum");
  const patina = colour("patina");
  const step = width / span;
  const x = (timelineFrame: number) => (timelineFrame - first + 0.5) * step;
  pen.clearRect(0, 0, width, height);
  if (stretch) {
    pen.fillStyle = colour("patina-wash");
    pen.fillRect(x(stretch.first) - step / 2, 0, (stretch.last - stretch.first + 1) * step, height);
  }
  pen.fillStyle = colour("hair");
  pen.fillRect(0, BEATS, width, 1);
  pen.fillRect(0, SOURCE, width, 1);
  pen.font = "11px var(--font-mono, monospace)";
  pen.fillStyle = soft;
  for (const at of window.numbered) {
    pen.fillRect(x(at), 0, 1, 4);
    pen.fillText(String(at), x(at) + 3, 10);
  }
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
  for (const spot of cuts) {
    pen.fillRect(x(spot) - step / 2 - 1, 14, 2, height - 14);
    pen.fillText("cut", x(spot) - step / 2 + 4, SOURCE - 8);
  }
  stretches.forEach((one, i) => {
    const from = x(one.first) - step / 2;
    const to = x(one.last) + step / 2;
    if (to < 0 || from > width) return;
    pen.fillStyle = i % 2 ? soft : brass;
    pen.fillRect(Math.max(0, from), height - 3, Math.min(width, to) - Math.max(0, from), 3);
    pen.fillText(one.words, Math.max(2, from + 2), height - 8, Math.max(40, to - from - 4));
  });
  pen.strokeStyle = patina;
  pen.lineWidth = 2;
  pen.beginPath();
  pen.moveTo(x(frame), 0);
  pen.lineTo(x(frame), height);
  pen.stroke();
}

type Inks = Record<"ink" | "soft" | "brass" | "plum", string>;
type Place = (frame: number) => number;

function drawBeats(pen: CanvasRenderingContext2D, strip: Strip, x: Place, inks: Inks) {
  const places = new Map(strip.units.map((unit, i) => [unit, x(strip.places[i] ?? 0)]));
  const seen = new Set<number>();
  strip.beats.forEach((beat, i) => {
    const frame = strip.first + i;
    const ink = isAgain(beat.kind) ? inks.brass : inks.ink;
    for (const { unit, at, weight } of beat.threads) {
      seen.add(unit);
      pen.strokeStyle = ink;
      pen.globalAlpha = weight < 1 ? 0.25 + 0.6 * weight : 1;
      pen.lineWidth = weight < 1 ? 0.6 + weight : 1.2;
      pen.beginPath();
      pen.moveTo(x(frame + at), BEATS);
      pen.lineTo(places.get(unit) ?? x(frame), SOURCE);
      pen.stroke();
    }
    pen.globalAlpha = 1;
    const top = x(frame);
    if (beat.kind === "made" || beat.kind === "gathered") {
      pen.fillStyle = inks.plum;
      pen.beginPath();
      pen.moveTo(top, BEATS - 6);
      pen.lineTo(top + 5, beat.kind === "made" ? BEATS : BEATS + 4);
      if (beat.kind === "made") pen.lineTo(top, BEATS + 6);
      pen.lineTo(top - 5, beat.kind === "made" ? BEATS : BEATS + 4);
      pen.fill();
    } else {
      pen.fillStyle = ink;
      pen.fillRect(top - 1, BEATS - 5, 2, 7);
    }
  });
  for (const [unit, at] of places) {
    pen.beginPath();
    pen.arc(at, SOURCE, 3, 0, 7);
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

/** Where frames cannot be told apart: how many of each part are new, repeated and made above, and dropped below. Edges
 * lie on whole pixels, so that an even clip looks even; what is there at all is at least a pixel high. */
function drawColumns(pen: CanvasRenderingContext2D, strip: Strip, x: Place, inks: Inks) {
  const ratio = pen.getTransform().a;
  const whole = (place: number) => Math.round(place * ratio) / ratio;
  const tall = (share: number) => (share > 0 ? Math.max(1 / ratio, whole(Math.min(1, share) * BAR)) : 0);
  const base = BEATS + 28;
  let at = strip.first;
  for (const column of strip.columns) {
    const left = whole(x(at - 0.5));
    const wide = Math.max(1 / ratio, whole(x(at + column.frames - 0.5)) - left);
    const bar = (colour: string, top: number, high: number) => {
      pen.fillStyle = colour;
      pen.fillRect(left, top, wide, high);
    };
    const repeated = tall(column.repeated / column.frames);
    const made = Math.min(tall(column.made / column.frames), BAR - repeated);
    bar(inks.ink, base - BAR, BAR - repeated - made);
    bar(inks.plum, base - repeated - made, made);
    bar(inks.brass, base - repeated, repeated);
    bar(inks.soft, base + 2, tall(column.dropped / column.frames / 2));
    at += column.frames;
  }
  const legend = [
    ["above, from the top:", inks.soft],
    ["▮ new", inks.ink],
    ["▮ made", inks.plum],
    ["▮ repeated", inks.brass],
    ["· below: dropped", inks.soft],
  ] as const;
  let from = 4;
  for (const [words, colour] of legend) {
    pen.fillStyle = colour;
    pen.fillText(words, from, SOURCE + 13);
    from += pen.measureText(`${words} `).width;
  }
}

import { useEffect, useRef, useState, type PointerEvent } from "react";
import type { Side } from "../data";
import { View, type Area, type Quality } from "./View";

export const WAYS = ["beside", "wipe", "difference", "blink"] as const;
export type Compare = (typeof WAYS)[number];

/** Both sides' pictures: beside each other, or one over the other. Zoomed, they move together. */
export function Stage(props: {
  a: Side;
  b: Side;
  frame: number;
  compare: Compare;
  zoom: number;
  quality: Quality;
  area: Area;
  playing: boolean;
}) {
  const { a, b, frame, compare, zoom, quality, area, playing } = props;
  const [wipe, setWipe] = useState(50);
  const [over, setOver] = useState(true);
  const [pan, setPan] = useState({ x: 0, y: 0 });
  if (zoom === 1 && (pan.x !== 0 || pan.y !== 0)) setPan({ x: 0, y: 0 });
  const held = useRef<{ x: number; y: number } | null>(null);
  const still = typeof matchMedia === "function" && matchMedia("(prefers-reduced-motion: reduce)").matches;

  useEffect(() => {
    if (compare !== "blink" || still) return;
    const timer = setInterval(() => setOver((now) => !now), 500);
    return () => clearInterval(timer);
  }, [compare, still]);
  const look: React.CSSProperties = {
    transform: zoom > 1 ? `scale(${zoom}) translate(${pan.x}%, ${pan.y}%)` : undefined,
    imageRendering: zoom > 1 ? "pixelated" : "auto",
  };
  const drag = {
    onPointerDown: (event: PointerEvent) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      held.current = { x: event.clientX, y: event.clientY };
    },
    onPointerMove: (event: PointerEvent) => {
      const from = held.current;
      if (!from || !event.buttons) return;
      const box = event.currentTarget.getBoundingClientRect();
      if (zoom === 1) {
        if (compare === "wipe") setWipe(Math.max(0, Math.min(100, ((event.clientX - box.left) / box.width) * 100)));
        return;
      }
      const limit = 50 - 50 / zoom;
      const within = (value: number) => Math.max(-limit, Math.min(limit, value));
      const x = ((event.clientX - from.x) / box.width / zoom) * 100;
      const y = ((event.clientY - from.y) / box.height / zoom) * 100;
      setPan((now) => ({ x: within(now.x + x), y: within(now.y + y) }));
      held.current = { x: event.clientX, y: event.clientY };
    },
    onPointerUp: () => (held.current = null),
  };
  const shared = { frame, quality, area, playing };
  if (compare === "beside")
    return (
      <div className="grid min-h-0 flex-1 grid-cols-2 gap-px bg-hair" {...drag}>
        <div className="relative grid min-h-0 min-w-0 overflow-hidden">
          <View name="A" side={a} {...shared} style={look} />
        </div>
        <div className="relative grid min-h-0 min-w-0 overflow-hidden">
          <View name="B" side={b} {...shared} style={look} />
        </div>
      </div>
    );
  const above: React.CSSProperties = {
    wipe: { clipPath: `inset(0 0 0 ${wipe}%)` },
    difference: { mixBlendMode: "difference" as const },
    blink: { visibility: over ? ("visible" as const) : ("hidden" as const) },
  }[compare];
  return (
    <div className="relative min-h-0 flex-1 overflow-hidden bg-grey" {...drag}>
      <div className="absolute inset-0 isolate grid">
        <View name="A" side={a} {...shared} style={look} />
      </div>
      <div className="absolute inset-0 grid" style={above}>
        <View name="B" side={b} {...shared} style={look} />
      </div>
      {compare === "wipe" && (
        <div aria-hidden className="absolute inset-y-0 w-px bg-white" style={{ left: `${wipe}%` }} />
      )}
      <div className="absolute top-1 left-1 flex items-center gap-2 bg-black/55 px-1.5 text-[12px] leading-5 text-white">
        {compare === "wipe" && (
          <>
            A left, B right
            <input
              type="range"
              aria-label="Wipe"
              min={0}
              max={100}
              value={wipe}
              onChange={(event) => setWipe(+event.target.value)}
              className="w-28"
            />
          </>
        )}
        {compare === "difference" && "the difference of A and B: black where they agree"}
        {compare === "blink" && (
          <button type="button" onClick={() => setOver((now) => !now)}>
            {over ? "B is shown" : "A is shown"} · swap
          </button>
        )}
      </div>
    </div>
  );
}

import { useEffect, useRef } from "react";
import { usePeaks, type Side } from "../data";

/** How loud a sound of a side is over a window of its timeline, with the playhead. */
export function Wave(props: {
  side: Side;
  stream: number;
  name: string;
  has: boolean;
  first: number;
  span: number;
  width: number;
  height: number;
  frame: number;
}) {
  const { side, stream, name, has, first, span, width, height, frame } = props;
  const columns = Math.max(10, Math.min(4000, Math.floor(width)));
  const peaks = usePeaks(side.token, stream, first, first + span - 1, columns, has).data;
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const target = canvas.current;
    if (!target) return;
    const ratio = window.devicePixelRatio || 1;
    target.width = width * ratio;
    target.height = height * ratio;
    const pen = target.getContext("2d");
    if (!pen) return;
    const style = getComputedStyle(document.documentElement);
    pen.scale(ratio, ratio);
    pen.clearRect(0, 0, width, height);
    pen.fillStyle = style.getPropertyValue("--hair").trim();
    pen.fillRect(0, height / 2, width, 1);
    pen.fillStyle = style.getPropertyValue("--soft").trim();
    const high = (height - 4) / 254;
    const seen = has ? peaks : undefined;
    seen?.high.forEach((top, i) => {
      const low = seen.low[i] ?? 0;
      const tall = top === low ? 0 : Math.max(1, (top - low) * high);
      pen.fillRect((i * width) / columns, height / 2 - top * high, width / columns + 0.3, tall);
    });
    pen.fillStyle = style.getPropertyValue("--patina").trim();
    pen.fillRect(((frame - first + 0.5) / span) * width - 1, 0, 2, height);
  }, [has, peaks, width, height, columns, first, span, frame]);
  return (
    <>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${name}: ${has ? (side.sounds[stream] ?? "") : side.sound_words}`}
        className="absolute inset-0"
        style={{ width, height }}
      />
      {has && peaks && peaks.percent < 100 && (
        <span className="absolute top-0 right-1 bg-ground px-1 text-[11px] leading-4 text-soft">
          being read, {peaks.percent} %
        </span>
      )}
    </>
  );
}

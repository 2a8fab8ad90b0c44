import { useEffect, useRef } from "react";
import { usePeaks } from "../data";
import type { Side } from "../data";

export const WAVE = 40;

/** The sound of a side on the axis of the strip: how loud each moment is, as it will be made. */
export function WaveLane(props: {
  side: Side;
  name: "A" | "B";
  stream: number;
  choose: (stream: number) => void;
  first: number;
  span: number;
  width: number;
  frame: number;
}) {
  const { side, stream, first, span, width, frame } = props;
  const has = side.sounds.length > 0;
  const columns = Math.max(10, Math.min(4000, Math.floor(width)));
  const peaks = usePeaks(side.token, stream, first, first + span - 1, columns, has).data;
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const target = canvas.current;
    if (!target) return;
    const ratio = window.devicePixelRatio || 1;
    target.width = width * ratio;
    target.height = WAVE * ratio;
    const pen = target.getContext("2d");
    if (!pen) return;
    const style = getComputedStyle(document.documentElement);
    pen.scale(ratio, ratio);
    pen.clearRect(0, 0, width, WAVE);
    pen.fillStyle = style.getPropertyValue("--hair").trim();
    pen.fillRect(0, WAVE / 2, width, 1);
    pen.fillStyle = style.getPropertyValue("--soft").trim();
    const high = (WAVE - 4) / 254;
    peaks?.high.forEach((top, i) => {
      const low = peaks.low[i] ?? 0;
      const tall = Math.max(top === low ? 0 : 1, (top - low) * high);
      pen.fillRect((i * width) / columns, WAVE / 2 - top * high, width / columns + 0.3, tall);
    });
    pen.fillStyle = style.getPropertyValue("--patina").trim();
    pen.fillRect(((frame - first + 0.5) / span) * width - 1, 0, 2, WAVE);
  }, [peaks, width, columns, first, span, frame]);
  const words = has ? (side.sounds[stream] ?? "") : side.sound_words;
  return (
    <div className="relative border-t border-hair" style={{ height: WAVE }}>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Sound of ${props.name}: ${words}`}
        className="absolute inset-0"
        style={{ width, height: WAVE }}
      />
      <span className="absolute top-0 left-1 flex items-center gap-1 text-[11px] leading-4 text-soft">
        {side.sounds.length > 1 ? (
          <select
            aria-label="Sound that is heard"
            className="h-4 border border-hair bg-raised text-[11px]"
            value={stream}
            onChange={(event) => props.choose(+event.target.value)}
          >
            {side.sounds.map((name, i) => (
              <option key={name} value={i}>
                {name}
              </option>
            ))}
          </select>
        ) : (
          <span className="bg-ground px-1">{words}</span>
        )}
        {peaks && peaks.percent < 100 && <span className="bg-ground px-1">being read, {peaks.percent} %</span>}
      </span>
    </div>
  );
}

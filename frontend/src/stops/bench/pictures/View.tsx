import { useEffect, useRef, useState } from "react";
import type { Side } from "../data";
import { pictureUrl } from "../data";
import { atHand, inTurn, nextOnes, picture } from "./atHand";

export type Quality = "draft" | "final";
type What = "draft" | "final" | "waiting" | "fault";
export type Area = "whole" | "upper" | "lower" | "trust";

/** One side's picture at a frame: a draft at once, the final one as soon as it is computed. */
export function View(props: {
  name: string;
  side: Side;
  frame: number;
  quality: Quality;
  area: Area;
  playing: boolean;
  style?: React.CSSProperties;
}) {
  const { side, frame, quality, area, playing } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const lookedAt = useRef(props.frame);
  const [drawn, setDrawn] = useState<{ of: string; what: What; fault: string }>({ of: "", what: "waiting", fault: "" });
  const past = frame >= side.length.frames;
  const at = Math.min(frame, side.length.frames - 1);
  const key = `${side.token} ${at}`;
  const state = drawn.of === key || playing ? drawn.what : "waiting";

  useEffect(() => {
    let current = true;
    const step = at - lookedAt.current;
    lookedAt.current = at;
    const goOn = () => {
      if (current && !playing)
        void nextOnes(at, step, side.length.frames, (frame) => pictureUrl(side.token, frame, "final", area));
    };
    const draw = (bitmap: ImageBitmap, what: "draft" | "final") => {
      const target = canvas.current;
      if (!current || !target) return;
      if (target.width !== bitmap.width || target.height !== bitmap.height) {
        target.width = bitmap.width;
        target.height = bitmap.height;
      }
      target.getContext("2d")?.drawImage(bitmap, 0, 0);
      target.dataset.frame = String(at);
      target.dataset.size = what;
      setDrawn({ of: key, what, fault: "" });
    };
    const fail = (error: unknown) => {
      if (!current) return;
      setDrawn({ of: key, what: "fault", fault: error instanceof Error ? error.message : "No picture." });
    };
    const draft = pictureUrl(side.token, at, "draft", "whole");
    const final = pictureUrl(side.token, at, "final", area);
    const best = atHand(final);
    if (best && !(playing && quality === "draft")) {
      draw(best, "final");
      goOn();
    } else {
      const small = atHand(draft);
      if (small) draw(small, "draft");
      else if (!playing) {
        picture(draft).then((bitmap) => {
          if (!atHand(final)) draw(bitmap, "draft");
        }, fail);
      }
      if (!playing && (quality === "final" || area !== "whole"))
        inTurn(props.name, final).then((bitmap) => {
          draw(bitmap, "final");
          goOn();
        }, fail);
    }
    return () => {
      current = false;
    };
  }, [key, side.token, side.length.frames, at, quality, area, playing, props.name]);

  const words = {
    draft:
      quality === "final" && !playing ? "draft; rendering the final picture …" : "draft: nearest frame, reduced size",
    final: area === "trust" ? "final; plum shows where frames were mixed" : "final",
    waiting: "rendering …",
    fault: drawn.fault,
  }[state];
  return (
    <div className="relative min-h-0 min-w-0 overflow-hidden bg-grey" style={props.style}>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Side ${props.name}, frame ${at}, ${words}`}
        className="absolute inset-0 h-full w-full object-contain"
        style={{ imageRendering: "inherit", opacity: past ? 0.25 : 1 }}
      />
      {past && (
        <span className="absolute inset-0 flex items-center justify-center text-[13px] text-white">
          ended at frame {side.length.frames - 1}
        </span>
      )}
      <span className={`absolute right-1 bottom-1 bg-black/55 px-1 text-[11px] leading-4 text-white`}>
        {state === "fault" ? `▲ ${words}` : words}
      </span>
    </div>
  );
}

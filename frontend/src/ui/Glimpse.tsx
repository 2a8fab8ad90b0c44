import { useState } from "react";
import { frameAddress } from "../data/evidence";

const STEPS = 16;

/**
 * A small picture of a clip, to know the shot by. It moves along the clip under the pointer, and by the arrow keys where
 * it has the focus; in a list, whose keys go from row to row, by the pointer alone.
 */
export function Glimpse(props: {
  showId: number;
  clipId: number;
  name: string;
  frames: number;
  width: number;
  listed?: boolean;
}) {
  const [step, setStep] = useState(STEPS / 2);
  const [missing, setMissing] = useState(false);
  const last = Math.max(props.frames - 1, 0);
  const frame = Math.round((step * last) / STEPS);
  const height = Math.round((props.width * 9) / 16);
  const to = (wanted: number) => setStep(Math.min(STEPS, Math.max(0, wanted)));
  return (
    <span
      role="slider"
      tabIndex={props.listed ? -1 : 0}
      aria-label={`Picture of ${props.name}`}
      aria-valuemin={0}
      aria-valuemax={last}
      aria-valuenow={frame}
      aria-valuetext={`frame ${frame} of ${props.frames}`}
      title={`Frame ${frame}; move the pointer across, or use the arrow keys`}
      className="relative block shrink-0 overflow-hidden bg-grey outline-offset-1 focus-visible:outline-2 focus-visible:outline-patina"
      style={{ width: props.width, height }}
      onPointerMove={(event) => {
        const box = event.currentTarget.getBoundingClientRect();
        to(Math.round(((event.clientX - box.left) / box.width) * STEPS));
      }}
      onKeyDown={(event) => {
        const by = { ArrowLeft: -1, ArrowRight: 1, Home: -STEPS, End: STEPS }[event.key];
        if (by === undefined) return;
        event.preventDefault();
        event.stopPropagation();
        to(step + by);
      }}
    >
      {missing ? (
        <span className="flex h-full items-center justify-center text-[11px] text-white">no picture</span>
      ) : (
        <img
          alt=""
          draggable={false}
          loading="lazy"
          className="h-full w-full object-contain"
          src={frameAddress(props.showId, props.clipId, frame, props.width > 120 ? 320 : 160)}
          onError={() => setMissing(true)}
        />
      )}
      <span
        aria-hidden
        className="absolute bottom-0 left-0 h-0.5 bg-white/80"
        style={{ width: `${(100 * step) / STEPS}%` }}
      />
    </span>
  );
}

import { useState } from "react";
import { frameAddress } from "../../../data/evidence";
import { FrameStepper } from "./FrameStepper";
import type { LookProps } from "./props";

/** The two fields of a frame beside each other, each from its own lines: what moved between them is what the scan is. */
export function Fields({ showId, row, dossier }: LookProps) {
  const [frame, setFrame] = useState(Math.min(20, dossier.frames - 1));
  return (
    <div className="flex h-full flex-col gap-2 p-3">
      <FrameStepper frame={frame} frames={dossier.frames} set={setFrame} label="Frame" />
      <div className="grid min-h-0 flex-1 grid-cols-2 gap-2">
        {(["upper", "lower"] as const).map((field) => (
          <figure key={field} className="flex min-h-0 flex-col">
            <div className="flex min-h-0 flex-1 items-center justify-center bg-[#777777]">
              <img
                src={frameAddress(showId, row.id, frame, 480, field)}
                alt={`Frame ${frame}, ${field} field`}
                className="max-h-full max-w-full object-contain"
              />
            </div>
            <figcaption className="pt-0.5 text-[12.5px] text-soft">{field} field</figcaption>
          </figure>
        ))}
      </div>
      <p className="text-[12.5px] text-soft">
        Alike: one moment, progressive. Apart: two moments, interlaced; step on and see which of the two goes ahead.
      </p>
    </div>
  );
}

import { useState } from "react";
import type { Schemas } from "../../data/client";
import { Button, fieldLook, Number } from "../../ui/parts";

/** The in and out point in source frames, typed. */
export function Range({ bench, trim }: { bench: Schemas["BenchView"]; trim: (first: number, last: number) => void }) {
  const [first, setFirst] = useState(String(bench.first_frame));
  const [last, setLast] = useState(String(bench.last_frame));
  const take = () => {
    if (/^\d+$/.test(first) && /^\d+$/.test(last) && (+first !== bench.first_frame || +last !== bench.last_frame))
      trim(+first, Math.min(+last, bench.frames - 1));
  };
  const field = (name: string, value: string, set: (text: string) => void) => (
    <label className="flex items-center gap-1 text-[12px] text-soft">
      {name}
      <input
        className={`${fieldLook} h-6! w-[64px]! px-1! text-right font-mono text-[12.5px]`}
        value={value}
        onChange={(event) => set(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && take()}
      />
    </label>
  );
  const trimmed = bench.first_frame > 0 || bench.last_frame < bench.frames - 1;
  return (
    <span
      className="flex items-center gap-2"
      role="group"
      aria-label="Range in source frames"
      onBlur={(event) => !event.currentTarget.contains(event.relatedTarget) && take()}
    >
      {field("in", first, setFirst)}
      {field("out", last, setLast)}
      <span className="text-[12px] text-soft">
        <Number>{bench.last_frame - bench.first_frame + 1}</Number> of <Number>{bench.frames}</Number> source frames
      </span>
      {trimmed && (
        <Button weight="quiet" className="h-6! px-1!" onClick={() => trim(0, bench.frames - 1)}>
          Whole clip
        </Button>
      )}
    </span>
  );
}

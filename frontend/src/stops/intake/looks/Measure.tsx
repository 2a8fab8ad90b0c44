import { useState } from "react";
import { answer, api, type Schemas } from "../../../data/client";
import { frameAddress, useSettling } from "../../../data/evidence";
import { useAct } from "../../../data/queries";
import { Button, fieldLook, Labelled } from "../../../ui/parts";
import { FrameStepper } from "./FrameStepper";
import type { LookProps } from "./props";

/** Mark two frames between which something of known duration happens, and get the shot rate with its margin. */
export function Measure({ showId, row, dossier }: LookProps) {
  const last = Math.max(0, dossier.frames - 1);
  const [marks, setMarks] = useState<[number, number]>([0, last]);
  const [seconds, setSeconds] = useState("");
  const [doubt, setDoubt] = useState("");
  const [found, setFound] = useState<Schemas["DurationView"] | null>(null);
  const { settle } = useSettling(showId);
  const work = useAct(
    (body: Schemas["DurationIn"]) => answer(api.POST("/api/film/duration", { body })),
    (view) => {
      setFound(view);
      return null;
    },
  );
  if (dossier.frames < 3) return <p className="p-3 text-soft">There are too few frames to measure.</p>;
  const mark = (index: 0 | 1) => (frame: number) => {
    setFound(null);
    setMarks(index === 0 ? [frame, marks[1]] : [marks[0], frame]);
  };
  const use = (rate: string, reason: string) =>
    settle.mutate({ rows: [row], question: "shot_rate", value: rate, reason });
  return (
    <div className="flex h-full flex-col gap-2 p-3">
      <div className="grid min-h-24 flex-1 grid-cols-2 gap-2">
        {marks.map((frame, index) => (
          <figure key={index} className="flex min-h-0 flex-col gap-1">
            <div className="flex min-h-0 flex-1 items-center justify-center bg-[#777777]">
              <img
                src={frameAddress(showId, row.id, frame, 400)}
                alt={`${index ? "Second" : "First"} mark, frame ${frame}`}
                className="max-h-full max-w-full object-contain"
              />
            </div>
            <FrameStepper
              label={index ? "Second" : "First"}
              frame={frame}
              frames={dossier.frames}
              set={mark(index as 0 | 1)}
            />
          </figure>
        ))}
      </div>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          work.mutate({ first: marks[0], last: marks[1], seconds, doubt: doubt || "0" });
        }}
      >
        <div className="w-36">
          <Labelled label="Seconds between them">
            <input
              className={`${fieldLook} font-mono`}
              value={seconds}
              placeholder="like 6 or 1:30"
              onChange={(event) => {
                setFound(null);
                setSeconds(event.target.value);
              }}
            />
          </Labelled>
        </div>
        <div className="w-28">
          <Labelled label="Uncertainty ±">
            <input
              className={`${fieldLook} font-mono`}
              value={doubt}
              placeholder="0"
              onChange={(event) => {
                setFound(null);
                setDoubt(event.target.value);
              }}
            />
          </Labelled>
        </div>
        <Button type="submit" weight={found ? "plain" : "main"} disabled={!seconds}>
          Work out the shot rate
        </Button>
        {found && (
          <div className="flex flex-wrap items-baseline gap-2" role="status">
            <span className="font-mono text-[12.5px]">
              {found.equation}, between {found.lowest} and {found.highest}
            </span>
            {[...found.usual.map(String), ...(found.usual.length ? [] : [found.exact])].map((rate) => (
              <Button
                key={rate}
                weight="main"
                onClick={() => use(rate, `known duration: ${found.equation}, ± ${found.words.split("± ")[1]}`)}
              >
                Settle shot rate {rate === found.exact ? found.rate : rate}
              </Button>
            ))}
          </div>
        )}
      </form>
    </div>
  );
}

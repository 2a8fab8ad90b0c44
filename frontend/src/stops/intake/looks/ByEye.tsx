import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useSettling } from "../../../data/evidence";
import { Button, fieldLook, Number } from "../../../ui/parts";
import type { LookProps } from "./props";

interface Sheet {
  image: ImageBitmap;
  count: number;
  columns: number;
  width: number;
  height: number;
}

const STRETCH = 144;

/** The same stretch at candidate rates beside each other, all started together; pick what looks alive. */
export function ByEye({ showId, row, dossier }: LookProps) {
  const [first, setFirst] = useState(0);
  const [typed, setTyped] = useState("12 16 18 24");
  const [running, setRunning] = useState(() => !window.matchMedia("(prefers-reduced-motion: reduce)").matches);
  const { settle } = useSettling(showId);
  const sheet = useQuery({
    queryKey: ["sheet", showId, row.id, first],
    staleTime: Infinity,
    retry: false,
    queryFn: () => load(`/api/shows/${showId}/clips/${row.id}/sheet.jpg?first=${first}&count=${STRETCH}&width=220`),
  });
  const rates = [...new Set(typed.split(/[\s,;]+/).map(globalThis.Number))]
    .filter((r) => r >= 1 && r <= 120)
    .slice(0, 6);
  return (
    <div className="flex h-full flex-col gap-2 p-3">
      <div className="flex items-center gap-2">
        <label className="flex items-center gap-1.5 text-[12.5px] text-soft">
          Rates
          <input className={`${fieldLook} !w-36 font-mono`} value={typed} onChange={(e) => setTyped(e.target.value)} />
        </label>
        <label className="flex items-center gap-1.5 text-[12.5px] text-soft">
          from frame
          <input
            className={`${fieldLook} !w-20 text-right font-mono`}
            inputMode="numeric"
            value={first}
            onChange={(e) =>
              setFirst(
                Math.max(0, Math.min(dossier.frames - 1, globalThis.Number(e.target.value.replace(/\D/g, "")) || 0)),
              )
            }
          />
        </label>
        <Button onClick={() => setRunning(!running)}>{running ? "Hold" : "Run"}</Button>
      </div>
      {sheet.error && <p className="text-madder">▲ {sheet.error.message}</p>}
      {sheet.isPending && <p className="text-soft">Fetching {STRETCH} frames …</p>}
      {sheet.data && (
        <div
          className={`grid min-h-0 flex-1 auto-rows-min gap-2 overflow-auto ${rates.length > 3 ? "grid-cols-4" : "grid-cols-3"}`}
        >
          {rates.map((rate) => (
            <figure key={rate}>
              <Runner sheet={sheet.data} rate={rate} running={running} />
              <figcaption>
                <Button
                  className="mt-1 w-full justify-center"
                  onClick={() =>
                    settle.mutate({ rows: [row], question: "shot_rate", value: String(rate), reason: "by eye" })
                  }
                >
                  <Number>{rate}</Number> looks alive
                </Button>
              </figcaption>
            </figure>
          ))}
        </div>
      )}
    </div>
  );
}

function Runner({ sheet, rate, running }: { sheet: Sheet; rate: number; running: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen) return;
    let request = 0;
    const draw = (now: number) => {
      const index = running ? Math.floor((now / 1000) * rate) % sheet.count : 0;
      const { columns, width, height } = sheet;
      pen.drawImage(
        sheet.image,
        (index % columns) * width,
        Math.floor(index / columns) * height,
        width,
        height,
        0,
        0,
        width,
        height,
      );
      if (running) request = requestAnimationFrame(draw);
    };
    request = requestAnimationFrame(draw);
    return () => cancelAnimationFrame(request);
  }, [sheet, rate, running]);
  return (
    <canvas
      ref={canvas}
      width={sheet.width}
      height={sheet.height}
      className="w-full bg-[#777777]"
      aria-label={`${rate} frames a second`}
      role="img"
    />
  );
}

async function load(address: string): Promise<Sheet> {
  const got = await fetch(address);
  if (!got.ok) throw new Error(((await got.json()) as { detail?: string }).detail ?? "The frames cannot be loaded.");
  const place = JSON.parse(got.headers.get("X-Sheet") ?? "{}") as Omit<Sheet, "image">;
  return { image: await createImageBitmap(await got.blob()), ...place };
}

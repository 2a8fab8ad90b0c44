import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../../data/client";
import { useGauges } from "../../../data/evidence";
import { fieldLook, Labelled, Number } from "../../../ui/parts";
import { verdictOf } from "../questions";
import type { LookProps } from "./props";

/** The gauge table, and a roll's length, frames and running time at each rate. */
export function Roll({ row, dossier }: LookProps) {
  const gauges = useGauges();
  const known = verdictOf(row, "gauge").value;
  const [chosen, setChosen] = useState<string | null>(null);
  const [length, setLength] = useState<string | null>(null);
  const gauge = chosen ?? known ?? "super-8";
  const asked = length ?? `${dossier.frames || 3600} frames`;
  const roll = useQuery({
    queryKey: ["roll", gauge, asked],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => answer(api.POST("/api/film/roll", { body: { gauge, length: asked } })),
  });
  return (
    <div className="grid h-full grid-cols-[1.25fr_1fr] gap-4 p-3">
      <table className="h-fit w-full text-[12.5px]">
        <thead className="text-[12px] text-soft">
          <tr>
            <th className="text-left font-normal">Gauge</th>
            <th className="text-right font-normal">a foot</th>
            <th className="text-right font-normal">a metre</th>
            <th className="pl-3 text-left font-normal">ran at</th>
          </tr>
        </thead>
        <tbody>
          {gauges.data?.map((g) => (
            <tr key={g.id} className={g.id === gauge ? "bg-patina-wash" : ""}>
              <td>
                <button type="button" className="h-6 text-left hover:text-patina" onClick={() => setChosen(g.id)}>
                  {g.name}
                </button>
              </td>
              <td className="text-right font-mono tabular-nums">{g.frames_a_foot}</td>
              <td className="text-right font-mono tabular-nums">{g.frames_a_metre}</td>
              <td className="pl-3 font-mono">{g.speeds.join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="min-h-0">
        <Labelled label="The roll: 61 m, 200 ft, or frames">
          <input className={`${fieldLook} font-mono`} value={asked} onChange={(e) => setLength(e.target.value)} />
        </Labelled>
        {roll.error && <p className="pt-1 text-madder">▲ {roll.error.message}</p>}
        {roll.data && !roll.error && (
          <>
            <p className="py-1 text-[12.5px]">
              <Number>{roll.data.frames}</Number> frames, <Number>{roll.data.metres}</Number> m,{" "}
              <Number>{roll.data.feet}</Number> ft
            </p>
            <table className="w-full text-[12.5px]">
              <tbody>
                {roll.data.runs.map((run) => (
                  <tr key={run.rate} className={run.usual ? "font-medium" : "text-soft"}>
                    <td className="w-24 font-mono">at {run.rate}</td>
                    <td className="text-right font-mono tabular-nums">{run.running}</td>
                    <td className="pl-2 text-[12px]">{run.usual ? "usual" : ""}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </>
        )}
      </div>
    </div>
  );
}

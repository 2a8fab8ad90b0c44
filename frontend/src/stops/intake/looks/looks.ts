import type { ComponentType } from "react";
import type { Schemas } from "../../../data/client";
import type { EvidenceRow } from "../../../data/evidence";
import { ByEye } from "./ByEye";
import { Fields } from "./Fields";
import { Measure } from "./Measure";
import { Rhythm } from "./Rhythm";
import { Roll } from "./Roll";
import { Times } from "./Times";

export interface LookProps {
  showId: number;
  row: EvidenceRow;
  dossier: Schemas["Dossier"];
}

export type LookKey = "rhythm" | "fields" | "times" | "measure" | "eye" | "roll";

/** What there is to look at, in the order in which it is asked for. */
export const LOOKS: Record<LookKey, { name: string; view: ComponentType<LookProps> }> = {
  rhythm: { name: "Rhythm", view: Rhythm },
  fields: { name: "Fields", view: Fields },
  times: { name: "Times", view: Times },
  measure: { name: "Known duration", view: Measure },
  eye: { name: "By eye", view: ByEye },
  roll: { name: "Gauge and roll", view: Roll },
};

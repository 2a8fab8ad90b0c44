import type { ComponentType } from "react";
import { ByEye } from "./ByEye";
import { Fields } from "./Fields";
import { Measure } from "./Measure";
import type { LookProps } from "./props";
import { Rhythm } from "./Rhythm";
import { Roll } from "./Roll";
import { Times } from "./Times";

export type LookKey = "rhythm" | "fields" | "times" | "measure" | "eye" | "roll";

/** What there is to look at, in the order in which it is asked for. */
export const LOOKS: Record<LookKey, { name: string; view: ComponentType<LookProps> }> = {
  rhythm: { name: "Rhythm", view: Rhythm },
  fields: { name: "Fields", view: Fields },
  times: { name: "Times", view: Times },
  measure: { name: "Known duration", view: Measure },
  eye: { name: "Visual count", view: ByEye },
  roll: { name: "Gauge and roll", view: Roll },
};

export const LOOK_KEYS = Object.keys(LOOKS) as LookKey[];

import type { Stretch } from "./strip/drawStrip";
import type { Compare } from "./pictures/Stage";
import type { Area, Quality } from "./pictures/View";

/** How the two sides are looked at; nothing of it changes what is decided. */
export interface Looks {
  compare: Compare;
  zoom: number;
  quality: Quality;
  area: Area;
  stretch: Stretch | null;
  loops: boolean;
  checks: boolean;
  stripOf: "A" | "B";
  curves: boolean;
  /** Whether sound is heard, and which stream of the side whose strip is shown. */
  sound: boolean;
  stream: number;
  /** Whether music and moments are shown, and whether points snap to what falls near them. */
  music: boolean;
  snaps: boolean;
}

export const USUAL_LOOKS: Looks = {
  compare: "beside",
  zoom: 1,
  quality: "final",
  area: "whole",
  stretch: null,
  loops: false,
  checks: false,
  stripOf: "A",
  curves: false,
  sound: true,
  stream: 0,
  music: false,
  snaps: true,
};

export const ZOOMS = [1, 2, 4, 8];
export const AREAS: Area[] = ["whole", "upper", "lower"];

export const cycle = <T>(all: readonly T[], now: T): T => all[(all.indexOf(now) + 1) % all.length] ?? now;

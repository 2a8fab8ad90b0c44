import type { Schemas } from "../data/client";

export type Part = Schemas["Part"];
export type Texts = Partial<Record<Part, string>>;

interface PartLook {
  part: Part;
  name: string;
  choices?: [string, string][];
  example?: string;
}

/** The parts of a treatment beside what is wanted, as they are chosen or typed. */
export const PARTS: PartLook[] = [
  { part: "reading", name: "read", example: "24, timeline, file * 1000/1001" },
  {
    part: "between",
    name: "in-betweens",
    choices: [
      ["pick", "Pick: the frame on screen"],
      ["mix", "Mix: both, weighted"],
      ["flow", "Flow: built from motion"],
    ],
  },
  {
    part: "effort",
    name: "effort",
    choices: [
      ["quick", "quick"],
      ["normal", "normal"],
      ["careful", "careful"],
    ],
  },
  { part: "reach", name: "reach", example: "pixels, such as 48" },
  { part: "trust", name: "trust", example: "50%" },
  { part: "held", name: "held", example: "off, on twos, 12" },
  {
    part: "fields",
    name: "fields",
    choices: [
      ["whole", "woven, as they are"],
      ["deinterlace", "deinterlaced"],
      ["split", "split, each by itself"],
      ["original", "original pictures: pulldown and repeats out"],
    ],
  },
  {
    part: "sound",
    name: "sound",
    choices: [
      ["off", "off"],
      ["follow", "follows the speed"],
      ["pitch", "keeps its pitch"],
    ],
  },
  {
    part: "framing",
    name: "raster",
    choices: [
      ["keep", "as it is"],
      ["inside", "fit inside the timeline's"],
      ["fill", "fill and crop"],
      ["width", "fit width"],
      ["height", "fit height"],
      ["stretch", "stretch"],
    ],
  },
  { part: "span", name: "in, out", example: "whole, or 12-240 in source frames" },
  {
    part: "reverse",
    name: "direction",
    choices: [
      ["no", "forwards"],
      ["yes", "backwards"],
    ],
  },
];

const OF_FLOW: Part[] = ["effort", "reach", "trust"];

/** The parts to show: those that concern Flow alone only where it is chosen. */
export const partsFor = (flows: boolean) => PARTS.filter(({ part }) => flows || !OF_FLOW.includes(part));

export const INTENTS: [Schemas["Intent"], string][] = [
  ["real-time", "real time"],
  ["every-frame", "every frame"],
  ["pace", "pace"],
  ["speed", "speed"],
  ["fit", "fit"],
  ["leave", "leave as it is"],
];
export const TAKES_VALUE = new Set<string>(["pace", "speed", "fit"]);

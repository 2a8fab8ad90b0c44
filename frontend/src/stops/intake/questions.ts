import type { Schemas } from "../../data/client";
import type { EvidenceRow, Question } from "../../data/evidence";

type State = Schemas["State"];
type Source = Schemas["Source"];

export const QUESTIONS: { key: Question; name: string }[] = [
  { key: "shot_rate", name: "Shot rate" },
  { key: "file_rate", name: "File rate" },
  { key: "scan", name: "Scan" },
  { key: "field_order", name: "Field order" },
  { key: "pulldown", name: "Pulldown" },
  { key: "repeats", name: "Repeats" },
  { key: "gauge", name: "Gauge" },
];

export const SOURCES: { key: Source; name: string }[] = [
  { key: "header", name: "Header" },
  { key: "timestamps", name: "Timestamps" },
  { key: "picture", name: "Picture" },
  { key: "log", name: "Log" },
  { key: "name", name: "Name" },
  { key: "person", name: "Person" },
];

/** How a verdict stands: a word, a shape, a tone. */
export const STATES: Record<State, { word: string; shape: string; tone: string }> = {
  settled: { word: "settled", shape: "●", tone: "text-patina" },
  agreed: { word: "agreed", shape: "◉", tone: "text-patina" },
  assumed: { word: "assumed", shape: "○", tone: "text-soft" },
  disputed: { word: "disputed", shape: "≢", tone: "text-brass" },
  unknown: { word: "not known", shape: "–", tone: "text-soft" },
};

/** Answers to choose from; rates are typed. */
export const ANSWERS: Partial<Record<Question, { value: string; name: string }[]>> = {
  scan: ["progressive", "interlaced"].map((value) => ({ value, name: value })),
  field_order: ["upper", "lower"].map((value) => ({ value, name: `${value} first` })),
  pulldown: ["none", "2:3", "2:3:3:2", "2:2"].map((value) => ({ value, name: value })),
};

export function verdictOf(row: EvidenceRow, question: Question): Schemas["VerdictView"] {
  const found = row.verdicts.find((verdict) => verdict.question === question);
  if (!found) throw new Error(`no verdict on ${question}`);
  return found;
}

/** Claims of one source; a gauge's habit stands beside what the header says. */
export function claimsBy(verdict: Schemas["VerdictView"], source: Source): Schemas["ClaimView"][] {
  return verdict.claims.filter((claim) => claim.source === source || (source === "header" && claim.source === "gauge"));
}

export const FILTERS: { key: string; name: string; holds: (row: EvidenceRow, question: Question) => boolean }[] = [
  { key: "all", name: "All", holds: () => true },
  { key: "disputed", name: "Disputed", holds: (row) => row.disputed },
  {
    key: "here",
    name: "Disputed here",
    holds: (row, question) => verdictOf(row, question).state === "disputed",
  },
  {
    key: "assumed",
    name: "Assumed here",
    holds: (row, question) => verdictOf(row, question).state === "assumed",
  },
  { key: "trouble", name: "Trouble", holds: (row) => row.troubles.length > 0 },
];

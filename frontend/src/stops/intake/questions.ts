import type { Schemas } from "../../data/client";
import type { EvidenceLine, EvidenceRow, Question } from "../../data/evidence";
import type { Certainty } from "../../data/vocabulary";

type Source = Schemas["Source"];

export const toneOf = (words: Certainty) => (words.asks ? "text-brass" : words.sure ? "text-patina" : "text-soft");

export function verdictOf(row: EvidenceRow, question: Question): Schemas["VerdictView"] {
  const found = row.verdicts.find((verdict) => verdict.question === question);
  if (!found) throw new Error(`no verdict on ${question}`);
  return found;
}

/** Claims of one source; a gauge's habit stands beside what the header says. */
export function claimsBy(verdict: Schemas["VerdictView"], source: Source): Schemas["ClaimView"][] {
  return verdict.claims.filter((claim) => claim.source === source || (source === "header" && claim.source === "gauge"));
}

/** Which clips to show; what their verdicts are, the server says. */
export const FILTERS: { key: string; name: string; holds: (row: EvidenceLine, question: Question) => boolean }[] = [
  { key: "all", name: "All", holds: () => true },
  { key: "disputed", name: "Disputed", holds: (row) => row.disputed.length > 0 },
  { key: "here", name: "Disputed here", holds: (row, question) => row.disputed.includes(question) },
  { key: "assumed", name: "Assumed here", holds: (row, question) => row.assumed.includes(question) },
  { key: "trouble", name: "Trouble", holds: (row) => row.trouble },
];

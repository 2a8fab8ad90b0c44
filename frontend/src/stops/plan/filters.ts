import type { Schemas } from "../../data/client";

type Row = Schemas["ClipRow"];
type Mark = Schemas["Mark"];

/** Filters answer questions; which clips they hold is in the marks that the server sets. */
export const FILTERS: { key: string; name: string; mark: Mark | null }[] = [
  { key: "all", name: "All", mark: null },
  { key: "off-rate", name: "Off-rate", mark: "off-rate" },
  { key: "odd", name: "Odd", mark: "odd" },
  { key: "near-miss", name: "Near miss", mark: "near-miss" },
  { key: "undecided", name: "Undecided", mark: "undecided" },
  { key: "disputed", name: "Disputed", mark: "disputed" },
  { key: "unconfirmed", name: "Unconfirmed", mark: "unconfirmed" },
  { key: "film", name: "Film", mark: "film" },
  { key: "interlaced", name: "Interlaced", mark: "interlaced" },
  { key: "fault", name: "Trouble", mark: "fault" },
];

export function fits(row: Row, key: string, words: string): boolean {
  const filter = FILTERS.find((f) => f.key === key);
  const marked =
    !filter?.mark || row.marks.includes(filter.mark) || (filter.mark === "fault" && row.marks.includes("remark"));
  return marked && (words === "" || `${row.name} ${row.intent_words}`.toLowerCase().includes(words.toLowerCase()));
}

export function count(rows: Row[], key: string): number {
  return rows.filter((row) => fits(row, key, "")).length;
}

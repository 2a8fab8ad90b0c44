/** Filters answer questions; which clips they hold is in the marks that the server sets. */
export const FILTERS: { key: string; name: string }[] = [
  { key: "all", name: "All" },
  { key: "off-rate", name: "Off-rate" },
  { key: "odd", name: "Odd" },
  { key: "near-miss", name: "Near miss" },
  { key: "stacked", name: "Stacked" },
  { key: "undecided", name: "Undecided" },
  { key: "disputed", name: "Disputed" },
  { key: "unconfirmed", name: "Unconfirmed" },
  { key: "interlaced", name: "Interlaced" },
  { key: "film", name: "Film" },
  { key: "changed", name: "Changed" },
  { key: "trouble", name: "Trouble" },
];

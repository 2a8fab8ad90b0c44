/** The stops in the order of the work. */
export const STOPS = [
  { path: "brief", name: "Brief", does: "timelines and names" },
  { path: "intake", name: "Intake", does: "import footage" },
  { path: "plan", name: "Plan", does: "decide speeds" },
  { path: "bench", name: "Bench", does: "check frame by frame" },
  { path: "assembly", name: "Assembly", does: "edit events and nests" },
  { path: "handoff", name: "Handoff", does: "make and check files" },
] as const;

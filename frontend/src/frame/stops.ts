/** The stops in the order of the work. Those still to come are not listed. */
export const STOPS = [
  { path: "brief", name: "Brief", does: "timelines and names" },
  { path: "intake", name: "Intake", does: "bring footage in" },
  { path: "plan", name: "Plan", does: "decide speeds" },
  { path: "bench", name: "Bench", does: "look, frame by frame" },
  { path: "handoff", name: "Handoff", does: "make and prove files" },
] as const;

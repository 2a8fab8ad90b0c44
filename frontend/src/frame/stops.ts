/** The stops in the order of the work. */
export const STOPS = [
  { path: "brief", name: "Brief", does: "timelines and names" },
  { path: "intake", name: "Intake", does: "bring footage in" },
  { path: "plan", name: "Plan", does: "decide speeds" },
  { path: "bench", name: "Bench", does: "look, frame by frame" },
  { path: "assembly", name: "Assembly", does: "cut, place and nest" },
  { path: "handoff", name: "Handoff", does: "make and prove files" },
] as const;

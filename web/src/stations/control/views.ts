/** The views of Control, in their order. */
export const CONTROL_VIEWS = [
  { id: "points", name: "points" },
  { id: "observe", name: "observe" },
  { id: "search", name: "search" },
  { id: "round", name: "round" },
  { id: "files", name: "files" },
];

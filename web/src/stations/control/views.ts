/** The views of Control, in their order. */
export const CONTROL_VIEWS = [
  { id: "points", name: "points" },
  { id: "observe", name: "observe" },
  { id: "search", name: "search" },
  { id: "round", name: "round" },
  { id: "files", name: "files" },
] as const;

/** A view without a component does not compile: each tray has a record over these. */
export type ControlView = (typeof CONTROL_VIEWS)[number]["id"];

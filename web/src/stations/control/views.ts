/** The views of Control, in their order. */
export const CONTROL_VIEWS = [
  { id: "points", name: "points" },
  { id: "search", name: "search" },
];

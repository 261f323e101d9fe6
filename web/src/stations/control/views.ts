import type { ViewEntry } from "../views";

/** The views of Control, in their order. */
export const CONTROL_VIEWS = [
  {
    id: "points",
    name: "points",
    begun: (plan) => plan.control.length > 0,
    todo: "Place control and check points (G, K), or search a layout.",
    rules: [
      "target-none",
      "check-beside-target",
      "control-outside",
      "control-images",
      "target-width",
      "control-height",
      "weakest-place",
      "control-spur",
      "control-extremes",
      "control-heights",
      "check-places",
      "scan-target",
      "scan-unused",
      "control-earlier",
      "control-returns",
      "control-forbidden",
      "control-slope",
      "control-clearance",
      "control-moved",
      "control-stable",
      "control-contrast",
      "control-edge",
      "targets-crowded",
      "control-names",
      "standard-conditions",
    ],
  },
  { id: "search", name: "search" },
  {
    id: "observe",
    name: "observe",
    rules: [
      "target-records",
      "control-baseline",
      "control-twice",
      "control-observed",
      "control-epochs",
      "control-skies",
      "control-sky",
      "control-fixed",
    ],
  },
  { id: "round", name: "round" },
  { id: "files", name: "files" },
] as const satisfies readonly ViewEntry[];

/** A view without a component does not compile: each tray has a record over these. */
export type ControlView = (typeof CONTROL_VIEWS)[number]["id"];

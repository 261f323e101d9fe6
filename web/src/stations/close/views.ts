import type { ViewEntry } from "../views";

/** The views of Close, in their order: the first that has an answer opens by itself. */
export const CLOSE_VIEWS = [
  { id: "residuals", name: "residuals" },
  { id: "verdict", name: "verdict" },
  { id: "against", name: "against the prediction" },
  { id: "mend", name: "mend" },
  { id: "report", name: "report" },
] as const satisfies readonly ViewEntry[];

/** A view without a component does not compile: each tray has a record over these. */
export type CloseView = (typeof CLOSE_VIEWS)[number]["id"];

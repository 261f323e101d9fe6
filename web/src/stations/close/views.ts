/** The views of Close, in their order: the first that has an answer opens by itself. */
export const CLOSE_VIEWS = [
  { id: "residuals", name: "residuals" },
  { id: "verdict", name: "verdict" },
  { id: "against", name: "against the prediction" },
  { id: "mend", name: "mend" },
  { id: "report", name: "report" },
];

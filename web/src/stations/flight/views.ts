/** The views of Flight, in their order. */
export const FLIGHT_VIEWS = [
  { id: "flights", name: "flights" },
  { id: "kit", name: "kit" },
  { id: "coverage", name: "coverage" },
  { id: "air", name: "air time" },
  { id: "light", name: "exposure" },
  { id: "flown", name: "flown" },
  { id: "files", name: "card and files" },
] as const;

/** A view without a component does not compile: each tray has a record over these. */
export type FlightView = (typeof FLIGHT_VIEWS)[number]["id"];

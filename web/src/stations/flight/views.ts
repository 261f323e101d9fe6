import type { ViewEntry } from "../views";

/** The views of Flight in the order in which one works. */
export const FLIGHT_VIEWS = [
  {
    id: "flights",
    name: "flights",
    begun: (plan) => plan.flights.length > 0,
    todo: "Add a flight.",
    rules: [
      "flight-blur",
      "flight-smeared",
      "flight-overlap",
      "flight-forward",
      "flight-margin",
      "flight-relief",
      "flight-texture",
      "flight-small",
      "flight-low",
      "flight-strength",
      "flight-clearance",
      "flight-climb",
      "flight-speed",
      "flight-trigger",
      "flight-gap",
      "flight-reserve",
      "flight-insurance",
      "exposures-untied",
      "scan-overlap",
      "scan-start",
      "scan-flat",
      "scan-lines",
    ],
  },
  {
    id: "coverage",
    name: "coverage",
    rules: [
      "map-uncovered",
      "coverage-strips",
      "coverage-corners",
      "coverage-overlap",
      "coverage-pixel",
      "scan-gaps",
      "scan-ground",
      "scan-water",
    ],
  },
  {
    id: "air",
    name: "air time",
    begun: (plan) => plan.flights.every((f) => f.take_off !== null),
    todo: "Choose where the flights take off.",
    rules: ["flight-sight", "flight-link", "flight-way-home", "leg-battery", "leg-short"],
  },
  { id: "light", name: "exposure", rules: ["flight-shutter"] },
  { id: "files", name: "card and files" },
  { id: "flown", name: "flown" },
  {
    id: "kit",
    name: "kit",
    rules: ["kit-newer", "calibration-record", "calibration-flown", "calibration-frames"],
    more: true,
  },
] as const satisfies readonly ViewEntry[];

/** A view without a component does not compile: each tray has a record over these. */
export type FlightView = (typeof FLIGHT_VIEWS)[number]["id"];

import type { ViewEntry } from "../views";

/** The views of Base in the order in which one works: Alt and a number opens them, so that whoever moves one moves a key. */
export const BASE_VIEWS = [
  {
    id: "scheme",
    name: "scheme",
    begun: (plan) => plan.flights.some((f) => f.positioned_from.on !== "nothing"),
    todo: "Choose what the positions come from.",
    rules: ["base-distance"],
  },
  { id: "place", name: "place", rules: ["base-clearance", "base-sky"] },
  {
    id: "setups",
    name: "set-ups",
    begun: (plan) => plan.correction_services.length > 0 || plan.setups.some((s) => s.mark),
    todo: "Put the base on a mark.",
    rules: ["base-readings", "base-taped-once", "base-read-one-way", "antenna-newer", "base-mark-unsettled"],
  },
  {
    id: "card",
    name: "height chain and card",
    begun: (plan) => plan.setups.every((s) => !s.mark || s.devices.length > 0),
    todo: "Say which devices are told the base's position.",
    rules: ["base-height-system"],
  },
  {
    id: "reach",
    name: "reach",
    begun: (plan) =>
      plan.setups.some((s) => s.link) || !plan.flights.some((f) => ["live", "both"].includes(f.corrections)),
    todo: "Say how corrections leave the base.",
    rules: ["base-reach"],
  },
  { id: "satellites", name: "satellites" },
  {
    id: "sessions",
    name: "sessions",
    begun: (plan) => plan.setups.every((s) => !s.mark || s.log !== null),
    todo: "Say when the base logs.",
    rules: ["base-log-interval"],
  },
  { id: "library", name: "marks library", more: true },
  { id: "local", name: "local grid", rules: ["local-grid-unsound"], more: true },
] as const satisfies readonly ViewEntry[];

/** A view without a component does not compile: each tray has a record over these. */
export type BaseView = (typeof BASE_VIEWS)[number]["id"];

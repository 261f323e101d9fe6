import type { ViewEntry } from "../views";

/** The views of Site, in their order. */
export const SITE_VIEWS = [
  {
    id: "ground",
    name: "boundary, ground and areas",
    begun: (plan) => plan.site.boundary.length > 0 && !!(plan.site.ground.terrain ?? plan.site.ground.level),
    todo: "Import the boundary and the terrain, or type the height of level ground.",
    rules: ["ground-gap", "ground-level"],
  },
  {
    id: "features",
    name: "features",
    begun: (plan) => plan.site.features.length > 0,
    todo: "Draw what the work must mind.",
  },
  { id: "backdrop", name: "backdrop", rules: ["backdrop-old"] },
  { id: "airspace", name: "airspace", rules: ["airspace-ceiling", "airspace-hours", "airspace-looked-up"] },
] as const satisfies readonly ViewEntry[];

/** A view without a component does not compile: each tray has a record over these. */
export type SiteView = (typeof SITE_VIEWS)[number]["id"];

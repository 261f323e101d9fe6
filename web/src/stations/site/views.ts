/** The views of Site, in their order. */
export const SITE_VIEWS = [
  { id: "ground", name: "boundary, ground and areas" },
  { id: "features", name: "features" },
  { id: "backdrop", name: "backdrop" },
  { id: "airspace", name: "airspace" },
] as const;

/** A view without a component does not compile: each tray has a record over these. */
export type SiteView = (typeof SITE_VIEWS)[number]["id"];

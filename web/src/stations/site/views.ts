/** The views of Site, in their order. */
export const SITE_VIEWS = [
  { id: "ground", name: "boundary, ground and areas" },
  { id: "features", name: "features" },
  { id: "backdrop", name: "backdrop" },
  { id: "airspace", name: "airspace" },
];

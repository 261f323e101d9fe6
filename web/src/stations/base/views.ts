/** The views of Base, in the order in which one works. */
export const BASE_VIEWS = [
  { id: "scheme", name: "scheme" },
  { id: "place", name: "place" },
  { id: "library", name: "marks library" },
  { id: "setups", name: "set-ups" },
  { id: "card", name: "height chain and card" },
  { id: "reach", name: "reach" },
  { id: "satellites", name: "satellites" },
  { id: "sessions", name: "sessions" },
  { id: "local", name: "local grid" },
] as const;

/** A view without a component does not compile: each tray has a record over these. */
export type BaseView = (typeof BASE_VIEWS)[number]["id"];

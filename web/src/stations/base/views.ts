/** The views of Base, in their order: Alt and a number opens them, so that whoever moves one moves a key. */
export const BASE_VIEWS = [
  { id: "scheme", name: "scheme" },
  { id: "setups", name: "set-ups" },
  { id: "card", name: "height chain and card" },
  { id: "satellites", name: "satellites" },
  { id: "sessions", name: "sessions" },
  { id: "reach", name: "reach" },
  { id: "library", name: "marks library" },
  { id: "local", name: "local grid" },
  { id: "place", name: "place" },
] as const;

/** A view without a component does not compile: each tray has a record over these. */
export type BaseView = (typeof BASE_VIEWS)[number]["id"];

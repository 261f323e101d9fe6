/** The views of Base, in their order. */
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
];

import { expect, it } from "vitest";
import { inFull } from "./symbols";

it("gives a short colour its six digits, and leaves others as they are", () => {
  expect(["#000", "#fB2", "#17242e", "transparent"].map(inFull)).toEqual([
    "#000000",
    "#ffBB22",
    "#17242e",
    "transparent",
  ]);
});

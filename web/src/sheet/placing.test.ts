import { describe, expect, it } from "vitest";
import type { ControlPoint, Plan } from "../api/client";
import { newArea, place, usualSource } from "./placing";

const onBase = { on: "setup", setup: "base" };
const plan = {
  marks: [{ id: "M1", name: "M1" }],
  setups: [{ id: "base", mark: null, support: "tripod" }],
  flights: [{ id: "main", positioned_from: onBase }],
  control: [
    { id: "G1", name: "G1", positioned_from: onBase },
    { id: "x", name: "G2", positioned_from: { on: "nothing" } },
    { id: "K1", name: "K1", positioned_from: onBase },
  ],
  site: { areas: [{ id: "A1", name: "A1", ring: [] }] },
} as unknown as Plan;

const like = { occupations: [{ epochs: 60 }], h: null, positioned_from: { on: "nothing" } } as unknown as ControlPoint;

describe("placing on the sheet", () => {
  it("takes the first name that nobody has, as id or as name", () => {
    expect(place(like, plan, "target", 1, 2).object).toBe("control/G3");
    expect(place(like, plan, "check", 1, 2).object).toBe("control/K2");
  });
  it("places to a tenth of a metre, with the role in the value, hung as most points are", () => {
    const { edits } = place(like, plan, "target", 100.04, 200.06);
    expect(edits[0]!.after).toMatchObject({ role: "target", e: 100, n: 200.1, h: null, positioned_from: onBase });
    expect(usualSource({ ...plan, control: [] })).toEqual(onBase);
  });
  it("puts the base on the new mark in the same step: taken here, its height the ground's", () => {
    const { edits } = place(like, plan, "base", 1, 2);
    expect(edits.map((e) => e.path)).toEqual(["marks/M2", "setups/base/mark"]);
    expect(edits[0]!.after).toMatchObject({ known: "here", h: null });
    expect(edits[1]).toMatchObject({ before: null, after: "M2" });
  });
  it("takes a flight off from there, and selects nothing", () => {
    const { edits, object } = place(like, plan, "take-off/main", 100.04, 200.06);
    expect(object).toBeNull();
    expect(edits).toMatchObject([{ path: "flights/main/take_off", after: [100, 200.1] }]);
  });
  it("names an area and keeps its corners to the centimetre", () => {
    const edit = newArea(plan, [[1.234, 2], [3, 4.567], [5, 6]]); // prettier-ignore
    expect(edit.path).toBe("site/areas/A2");
    expect((edit.after as { ring: unknown }).ring).toEqual([[1.23, 2], [3, 4.57], [5, 6]]); // prettier-ignore
  });
});

import { describe, expect, it } from "vitest";
import type { Plan } from "../api/client";
import { newArea, place } from "./placing";

const plan = {
  marks: [{ id: "M1", name: "M1" }],
  control: [
    { id: "G1", name: "G1" },
    { id: "x", name: "G2" },
    { id: "K1", name: "K1" },
  ],
  base: { mark: null, support: "tripod" },
  areas: [{ id: "A1", name: "A1", ring: [] }],
} as unknown as Plan;

describe("placing on the sheet", () => {
  it("takes the first name that nobody has, as id or as name", () => {
    expect(place(plan, "target", 1, 2).object).toBe("control/G3");
    expect(place(plan, "check", 1, 2).object).toBe("control/K2");
  });
  it("places to a tenth of a metre, with the role in the value", () => {
    const { change } = place(plan, "target", 100.04, 200.06);
    expect(change[0]!.value).toMatchObject({ role: "target", e: 100, n: 200.1, h: null });
  });
  it("puts the base on the new mark in the same step", () => {
    const { change } = place(plan, "base", 1, 2);
    expect(change.map((c) => c.object)).toEqual(["mark/M2", "base"]);
    expect(change[1]!.value).toMatchObject({ mark: "M2", support: "tripod" });
  });
  it("names an area and keeps its corners to the centimetre", () => {
    const change = newArea(plan, [[1.234, 2], [3, 4.567], [5, 6]]); // prettier-ignore
    expect(change.object).toBe("area/A2");
    expect(change.value!.ring).toEqual([[1.23, 2], [3, 4.57], [5, 6]]); // prettier-ignore
  });
});

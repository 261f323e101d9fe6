import { describe, expect, it } from "vitest";
import type { Plan } from "../api/client";
import { differences } from "./differences";

const target = { id: "G1", name: "G1", role: "target", e: 100, n: 200, h: null, method: "rtk_once" };
const plan = {
  brief: { title: "a", tolerance_h: 0.03 },
  site: { boundary: [[0, 0], [1, 0], [1, 1]] }, // prettier-ignore
  terrain: { digest: "x", source: "grid" },
  flight: { height: 70, course: null },
  base: { mark: "A", readings: [1.8] },
  assumptions: {},
  marks: [],
  control: [target],
  areas: [],
} as unknown as Plan;

describe("differences between plans", () => {
  it("finds none between equals", () => expect(differences(plan, structuredClone(plan))).toEqual([]));

  it("names the field, and both values", () => {
    const other = { ...plan, flight: { ...plan.flight, height: 90, course: 15 } } as Plan;
    expect(differences(plan, other)).toEqual([
      { what: "flight: height", first: "70", second: "90" },
      { what: "flight: course", first: "–", second: "15" },
    ]);
  });

  it("tells moved, changed, added and missing control apart", () => {
    const moved = { ...plan, control: [{ ...target, e: 103, n: 204, method: "rtk_twice" }] } as Plan;
    expect(differences(plan, moved).map((d) => d.second)).toEqual(["moved 5.0 m", "rtk_twice"]);
    const without = { ...plan, control: [] } as unknown as Plan;
    expect(differences(plan, without)).toEqual([{ what: "G1", first: "there", second: "not there" }]);
    expect(differences(without, plan)).toEqual([{ what: "G1", first: "not there", second: "there" }]);
  });
});

import { describe, expect, it } from "vitest";
import type { Plan } from "../api/client";
import { differences } from "./differences";

const target = { id: "G1", name: "G1", role: "target", e: 100, n: 200, h: null, width: 0.6 };
const flight = { id: "main", name: "main flight", height: 70, course: null };
const plan = {
  brief: { title: "a", tolerance_h: 0.03 },
  site: { boundary: [[0, 0], [1, 0], [1, 1]], areas: [], ground: { terrain: { digest: "x", source: "grid" } } }, // prettier-ignore
  kit: { cameras: [] },
  flights: [flight],
  setups: [],
  correction_services: [],
  assumptions: { overrides: {} },
  marks: [],
  control: [target],
} as unknown as Plan;

describe("differences between plans", () => {
  it("finds none between equals", () => expect(differences(plan, structuredClone(plan))).toEqual([]));

  it("names the field, and both values", () => {
    const other = { ...plan, flights: [{ ...flight, height: 90, course: 15 }] } as unknown as Plan;
    expect(differences(plan, other)).toEqual([
      { what: "main flight: height", first: "70", second: "90" },
      { what: "main flight: course", first: "–", second: "15" },
    ]);
  });

  it("tells moved, changed, added and missing control apart", () => {
    const moved = { ...plan, control: [{ ...target, e: 103, n: 204, width: 0.8 }] } as unknown as Plan;
    expect(differences(plan, moved).map((d) => d.second)).toEqual(["moved 5.0 m", "0.8"]);
    const without = { ...plan, control: [] } as unknown as Plan;
    expect(differences(plan, without)).toEqual([{ what: "G1", first: "there", second: "not there" }]);
    expect(differences(without, plan)).toEqual([{ what: "G1", first: "not there", second: "there" }]);
  });
});

import { describe, expect, it } from "vitest";
import type { Plan } from "../api/client";
import { added, applied, fieldEdits, freeName, removed, valueAt } from "./edits";

const plan = {
  brief: { title: "one" },
  site: { areas: [], ground: { terrain: null } },
  kit: { cameras: [{ id: "mp20", calibration: { state: "earlier" } }] },
  control: [
    { id: "G1", name: "G1", e: 1, n: 2 },
    { id: "G2", name: "G2", e: 3, n: 4 },
  ],
  assumptions: { edition: "2026-11", overrides: {} },
} as unknown as Plan;

describe("edits laid over the plan until the server has taken them", () => {
  it("change a field, and leave the plan itself alone", () => {
    const so = applied(plan, fieldEdits(plan, "control/G1", { e: 5 }));
    expect(so.control[0]).toMatchObject({ id: "G1", e: 5, n: 2 });
    expect(plan.control[0]!.e).toBe(1);
    expect(so.control[1]).toBe(plan.control[1]);
  });
  it("add a row at its place, and take one away", () => {
    const without = applied(plan, [removed(plan, "control/G1")]);
    expect(without.control.map((p) => p.id)).toEqual(["G2"]);
    const back = applied(without, [{ path: "control/G1", before: null, after: plan.control[0], at: 0 }]);
    expect(back.control.map((p) => p.id)).toEqual(["G1", "G2"]);
    expect(applied(plan, [added("site/areas", { id: "A1" })]).site.areas).toHaveLength(1);
  });
  it("reach deep, and say nothing of what is not there", () => {
    const so = applied(plan, [
      { path: "kit/cameras/mp20/calibration/state", before: "earlier", after: "never" },
      { path: "control/G9/e", before: 1, after: 2 },
      { path: "assumptions/overrides/tie_ray_px", before: null, after: 0.8 },
    ]);
    expect(valueAt(so, "kit/cameras/mp20/calibration/state")).toBe("never");
    expect(so.control).toHaveLength(2);
    expect(valueAt(so, "assumptions/overrides/tie_ray_px")).toBe(0.8);
    expect(valueAt(so, "control/G9/e")).toBeNull();
  });
});

describe("edits of fields", () => {
  it("hold what they were formed on, and leave out what does not change", () => {
    expect(fieldEdits(plan, "control/G1", { e: 1, n: 9 })).toEqual([{ path: "control/G1/n", before: 2, after: 9 }]);
    expect(fieldEdits(plan, "assumptions/overrides", { tie_ray_px: 1 })).toEqual([
      { path: "assumptions/overrides/tie_ray_px", before: null, after: 1 },
    ]);
  });
  it("take the first name that nobody has", () => expect(freeName("G", plan.control)).toBe("G3"));
});

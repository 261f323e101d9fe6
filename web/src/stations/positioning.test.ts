import { describe, expect, it } from "vitest";
import type { ControlPoint, PositionSource, Occupation, Plan } from "../api/client";
import { allHung, hangAll, hangingId, hangingOf, hangings, hungAsBefore, hungOn } from "./positioning";

const onBase: PositionSource = { on: "setup", setup: "base" };
const onService: PositionSource = { on: "network", network: "n1" };
const once: Occupation = { epochs: 60, after_min: 0, hangs_on: null, state: "fixed" as const, pole: null, visit: null };
const point = {
  id: "G1",
  hangs_on: onBase,
  occupations: [once, { ...once, after_min: 60, hangs_on: onService }, { ...once, after_min: 120 }],
} as unknown as ControlPoint;
const plan = {
  brief: { local: null },
  marks: [{ id: "m", name: "Heron 4" }],
  setups: [
    { id: "base", name: "base", mark: "m" },
    { id: "bare", name: "second", mark: null },
  ],
  networks: [{ id: "n1", name: "service" }],
  flights: [{ id: "f", hangs_on: { on: "nothing" } }],
  control: [point],
} as unknown as Plan;

describe("what positions hang on", () => {
  it("tells each thing that a point's occupations hang on once", () => {
    expect(hungOn(point)).toEqual([onBase, onService]);
    expect(hungOn({ ...point, occupations: [{ ...once, hangs_on: onService }] })).toEqual([onService]);
  });

  it("knows of everything hung in the plan, occupations by themselves too", () => {
    const named = allHung({ ...plan, control: [{ ...point, occupations: [{ ...once, hangs_on: onService }] }] });
    expect(named).toEqual([{ on: "nothing" }, onBase, onService]);
    expect(allHung(plan)).toContainEqual(onService);
    const brief = { local: { hangs_on: { on: "setup", setup: "bare" } } } as unknown as Plan["brief"];
    expect(allHung({ ...plan, brief })).toContainEqual({ on: "setup", setup: "bare" });
  });

  it("hangs a point on one thing with all its occupations", () => {
    const change = hangAll(point, onService);
    expect(hungOn({ ...point, ...change })).toEqual([onService]);
    expect(change.occupations!.map((o) => o.after_min)).toEqual([0, 60, 120]);
  });

  it("keeps what each occupation hangs on when the point is observed by another method", () => {
    const twice = hungAsBefore(point, [once, { ...once, after_min: 45 }]);
    expect(twice.map((o) => o.hangs_on)).toEqual([null, onService]);
    expect(hungAsBefore({ ...point, occupations: [once] }, twice).map((o) => o.hangs_on)).toEqual([null, null]);
    const away = { ...point, occupations: [{ ...once, hangs_on: onService }] };
    expect(hungAsBefore(away, twice).map((o) => o.hangs_on)).toEqual([onService, onService]);
  });

  it("reads back every choice that it offers", () => {
    for (const { id } of hangings(plan, "control")) expect(hangingId(hangingOf(id))).toBe(id);
    expect(hangings(plan, "control").map((h) => h.id)).not.toContain("instrument/bare");
    expect(hangings(plan, "flight").some((h) => h.id.startsWith("session"))).toBe(false);
    expect(hangingOf("session/", { on: "session", hours: 6, logger: "a", setup: null })).toEqual({
      on: "session",
      hours: 6,
      logger: "a",
      setup: null,
    });
    expect(hangingOf("session/base", { on: "session", hours: 6, logger: "a", setup: null })).toMatchObject({
      hours: 6,
      setup: "base",
    });
  });
});

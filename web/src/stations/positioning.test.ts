import { describe, expect, it } from "vitest";
import type { ControlPoint, PositionSource, Occupation, Plan } from "../api/client";
import {
  allSources,
  allFromSource,
  positionSourceId,
  positionSourceOf,
  positionSources,
  fromSourcesAsBefore,
  sourcesOfPoint,
} from "./positioning";

const onBase: PositionSource = { on: "setup", setup: "base" };
const onService: PositionSource = { on: "service", service: "n1" };
const once: Occupation = {
  epochs: 60,
  after_min: 0,
  positioned_from: null,
  state: "fixed" as const,
  pole: null,
  visit: null,
};
const point = {
  id: "G1",
  positioned_from: onBase,
  occupations: [once, { ...once, after_min: 60, positioned_from: onService }, { ...once, after_min: 120 }],
} as unknown as ControlPoint;
const plan = {
  brief: { local: null },
  marks: [{ id: "m", name: "Heron 4" }],
  setups: [
    { id: "base", name: "base", mark: "m" },
    { id: "bare", name: "second", mark: null },
  ],
  correction_services: [{ id: "n1", name: "service" }],
  flights: [{ id: "f", positioned_from: { on: "nothing" } }],
  control: [point],
} as unknown as Plan;

describe("what positions rest on", () => {
  it("tells each thing that a point's occupations rest on once", () => {
    expect(sourcesOfPoint(point)).toEqual([onBase, onService]);
    expect(sourcesOfPoint({ ...point, occupations: [{ ...once, positioned_from: onService }] })).toEqual([onService]);
  });

  it("knows of everything hung in the plan, occupations by themselves too", () => {
    const named = allSources({
      ...plan,
      control: [{ ...point, occupations: [{ ...once, positioned_from: onService }] }],
    });
    expect(named).toEqual([{ on: "nothing" }, onBase, onService]);
    expect(allSources(plan)).toContainEqual(onService);
    const brief = { local: { positioned_from: { on: "setup", setup: "bare" } } } as unknown as Plan["brief"];
    expect(allSources({ ...plan, brief })).toContainEqual({ on: "setup", setup: "bare" });
  });

  it("hangs a point on one thing with all its occupations", () => {
    const change = allFromSource(point, onService);
    expect(sourcesOfPoint({ ...point, ...change })).toEqual([onService]);
    expect(change.occupations!.map((o) => o.after_min)).toEqual([0, 60, 120]);
  });

  it("keeps what each occupation rests on when the point is observed by another method", () => {
    const twice = fromSourcesAsBefore(point, [once, { ...once, after_min: 45 }]);
    expect(twice.map((o) => o.positioned_from)).toEqual([null, onService]);
    expect(fromSourcesAsBefore({ ...point, occupations: [once] }, twice).map((o) => o.positioned_from)).toEqual([
      null,
      null,
    ]);
    const away = { ...point, occupations: [{ ...once, positioned_from: onService }] };
    expect(fromSourcesAsBefore(away, twice).map((o) => o.positioned_from)).toEqual([onService, onService]);
  });

  it("reads back every choice that it offers", () => {
    for (const { id } of positionSources(plan, "control")) expect(positionSourceId(positionSourceOf(id))).toBe(id);
    expect(positionSources(plan, "control").map((h) => h.id)).not.toContain("instrument/bare");
    expect(positionSources(plan, "flight").some((h) => h.id.startsWith("session"))).toBe(false);
    expect(positionSourceOf("session/", { on: "session", hours: 6, logger: "a", setup: null })).toEqual({
      on: "session",
      hours: 6,
      logger: "a",
      setup: null,
    });
    expect(positionSourceOf("session/base", { on: "session", hours: 6, logger: "a", setup: null })).toMatchObject({
      hours: 6,
      setup: "base",
    });
  });
});

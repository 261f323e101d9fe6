import { describe, expect, it } from "vitest";
import type { Plan, Prediction, Result } from "../api/client";
import { following } from "./plan";
import { savedWords } from "./TopBar";
import { type Pin, repinned } from "./workbench/pins";

const plan = {} as Plan;
const result = (hash: string) => ({ hash, rmse_h: 1, defects: [] }) as unknown as Result;
const nothing = { result: null, undetermined: null, before: null, told: null, findings: null };

describe("pins", () => {
  it("keep a prediction once, take it off the second time, and number on", () => {
    let pins: Pin[] = repinned([], plan, result("a"));
    pins = repinned(pins, plan, result("b"));
    expect(pins.map((p) => p.name)).toEqual(["pin 1", "pin 2"]);
    pins = repinned(pins, plan, result("a"));
    expect(pins.map((p) => p.result.hash)).toEqual(["b"]);
    expect(repinned(pins, plan, result("c")).at(-1)!.name).toBe("pin 3");
  });
  it("never pin what has no figures, and are six at most", () => {
    expect(repinned([], plan, null)).toEqual([]);
    let pins: Pin[] = [];
    for (const hash of "abcdefgh") pins = repinned(pins, plan, result(hash));
    expect(pins).toHaveLength(6);
    expect(pins[0]!.result.hash).toBe("c");
  });
});

describe("which figures are shown", () => {
  const done = (r: unknown): Prediction => ({ state: "done", result: r, told: null, findings: null }) as Prediction;
  it("are the newest finished ones, with those before them", () => {
    const first = following(nothing, done(result("a")));
    expect(first).toMatchObject({ result: { hash: "a" }, before: null });
    expect(following(first, { ...done(null), state: "running" })).toBe(first);
    expect(following(first, done(result("b")))).toMatchObject({ result: { hash: "b" }, before: { hash: "a" } });
  });
  it("are none where the network is not determined or the plan lacks something", () => {
    const first = following(nothing, done(result("a")));
    const defect = following(first, done({ hash: "d", defects: [{}] }));
    expect(defect).toMatchObject({ result: null, undetermined: { hash: "d" }, before: { hash: "a" } });
    expect(following(first, { ...done(null), state: "lacking" })).toMatchObject({
      result: null,
      before: { hash: "a" },
    });
  });
  it("stay the same object while nothing changes", () => {
    const answer = done(result("a"));
    const first = following(nothing, answer);
    expect(following(first, answer)).toBe(first);
  });
});

describe("what the top bar says", () => {
  const savedAt = new Date(2026, 10, 25, 14, 2, 11).toISOString();
  const so = { waiting: 0, reached: true, since: null, savedAt };
  it("tells saved, waiting and not reached apart", () => {
    expect(savedWords(so)).toBe("saved 14:02:11");
    expect(savedWords({ ...so, waiting: 1 })).toBe("1 edit waiting");
    const since = new Date(2026, 10, 25, 14, 2, 40).getTime();
    expect(savedWords({ ...so, waiting: 3, reached: false, since })).toBe("not reached since 14:02, 3 edits waiting");
  });
});

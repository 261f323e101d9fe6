import { describe, expect, it } from "vitest";
import type { Plan, Result } from "../api/client";
import { withChanges } from "./plan";
import { repinned, type Pin } from "./workbench";

const plan = {
  brief: { title: "one" },
  control: [{ id: "G1", name: "G1", e: 1 }],
  marks: [],
  areas: [],
} as unknown as Plan;

describe("changes laid over the plan until the server answers", () => {
  it("replace, add and remove rows, and leave the plan itself alone", () => {
    const changed = withChanges(plan, [
      { object: "control/G1", value: { id: "G1", name: "G1", e: 5 } },
      { object: "control/K1", value: { id: "K1", name: "K1" } },
      { object: "area/A1", value: { id: "A1", name: "A1", ring: [] } },
      { object: "brief", value: { title: "two" } },
    ]);
    expect(changed.control.map((p) => [p.id, p.e])).toEqual([
      ["G1", 5],
      ["K1", undefined],
    ]);
    expect(changed.areas).toHaveLength(1);
    expect(changed.brief.title).toBe("two");
    expect(plan.control[0]!.e).toBe(1);
    expect(withChanges(changed, [{ object: "control/G1", value: null }]).control.map((p) => p.id)).toEqual(["K1"]);
  });
});

describe("pins", () => {
  const result = (hash: string) => ({ hash, defects: [] }) as unknown as Result;
  it("keep a prediction once, take it off the second time, and number on", () => {
    let pins: Pin[] = repinned([], plan, result("a"));
    pins = repinned(pins, plan, result("b"));
    expect(pins.map((p) => p.name)).toEqual(["pin 1", "pin 2"]);
    pins = repinned(pins, plan, result("a"));
    expect(pins.map((p) => p.result.hash)).toEqual(["b"]);
    expect(repinned(pins, plan, result("c")).at(-1)!.name).toBe("pin 3");
  });
  it("never pin what has no figures", () => {
    const defective = { hash: "d", defects: [{ kind: "datum", words: "", mend: "" }] } as unknown as Result;
    expect(repinned([], plan, defective)).toEqual([]);
    expect(repinned([], plan, null)).toEqual([]);
  });
  it("are six at most", () => {
    let pins: Pin[] = [];
    for (const hash of "abcdefgh") pins = repinned(pins, plan, result(hash));
    expect(pins).toHaveLength(6);
    expect(pins[0]!.result.hash).toBe("c");
  });
});

// @vitest-environment jsdom
import { describe, expect, it } from "vitest";
import { STATION_IDS } from "./ids";
import { LAYERS, STATIONS, TOOLS } from "./registry";

describe("the registry of stations", () => {
  it("has one entry for each station of the line, and no other", () => {
    expect(Object.keys(STATIONS)).toEqual([...STATION_IDS]);
    expect(new Set(STATION_IDS.map((id) => STATIONS[id].title)).size).toBe(STATION_IDS.length);
  });

  it("gives every tool a key of its own that no other shortcut has", () => {
    const keys = TOOLS.map((tool) => tool.key);
    expect(new Set(keys).size).toBe(keys.length);
    for (const key of keys) expect("EP123456789[]?").not.toContain(key);
  });

  it("draws each layer once, points and then names on top of all", () => {
    const names = LAYERS.map((layer) => layer.name);
    expect(new Set(names).size).toBe(names.length);
    expect(new Set(LAYERS.map((layer) => layer.rank)).size).toBe(names.length);
    expect(names.slice(-2)).toEqual(["points", "names"]);
  });

  it("tells each station's line of an empty plan without a figure that is not there", () => {
    const plan = {
      brief: { tolerance_h: 0.03, tolerance_v: 0.05, standard: "s", unit: "m", crs: "" },
      site: { boundary: [], ground: { terrain: null } },
      setups: [],
      flights: [],
      correction_services: [],
      visits: [],
      control: [],
    };
    const view = {
      plan,
      summary: undefined,
      result: null,
      undetermined: null,
      catalogue: { standards: [] },
      close: undefined,
    };
    for (const id of STATION_IDS) {
      const { words, begun } = STATIONS[id].line(view as never);
      expect(begun).toBe(false);
      if (id !== "brief") expect(words).not.toMatch(/NaN|undefined|null/);
    }
  });

  it("tells a tolerance in the job's own unit", () => {
    const catalogue = { standards: [{ id: "s", name: "RMSE" }] };
    const told = (unit: string) =>
      STATIONS.brief.line({
        plan: { brief: { standard: "s", unit, crs: "EPSG:25828" } },
        summary: { limits: { held_h: 0.03048, held_v: 0.06096 } },
        catalogue,
      } as never).words;
    expect(told("m")).toBe("30 H · 61 V mm, RMSE");
    expect(told("ft")).toBe("0.100 H · 0.200 V ft, RMSE");
  });
});

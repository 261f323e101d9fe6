import { describe, expect, it } from "vitest";
import {
  area,
  chance,
  fine,
  fineUnit,
  grid,
  length,
  mm,
  parseLength,
  surface,
  surfaceUnit,
  UNITS,
  volume,
  unbroken,
  volumeUnit,
  degrees,
} from "./units";

/** The same cases as the server's reader is tested with. */
const LENGTHS: [string, number][] = [
  ["1.834 m", 1.834],
  ["183.4cm", 1.834],
  ["1834 mm", 1.834],
  ["6' 0 1/4\"", 6 * 0.3048 + 0.25 * 0.0254],
  ["5' 6\"", 5.5 * 0.3048],
  ["1/4 in", 0.00635],
  ["0.5 km", 500],
  ["3 ftUS", (3 * 1200) / 3937],
  ["3 ftInd", 3 * 0.30479841],
  ["-2.5", -2.5],
  ["1,25 m", 1.25],
];

describe("lengths", () => {
  it.each(LENGTHS)("%s", (text, metres) => expect(parseLength(text)).toBeCloseTo(metres, 12));
  it.each(["", "m", "1.8.3", "abc", "5 6", "1/0 in", "6' x", "1 m 2"])("refuses “%s”", (text) =>
    expect(parseLength(text)).toBeNull(),
  );
  it("takes a bare number in the job's unit", () => expect(parseLength("10", "ft")).toBeCloseTo(3.048, 12));
  it("goes out and comes back", () => {
    for (const unit of Object.keys(UNITS))
      expect(parseLength(length(1234.5678, unit, 6), unit)).toBeCloseTo(1234.5678, 5);
  });
});

describe("figures", () => {
  it("says nothing where there is nothing", () => expect([mm(null), length(undefined, "m")]).toEqual(["–", "–"]));
  it("gives small lengths in millimetres, in feet to the thousandth", () => {
    expect([fine(0.0213, "m"), fineUnit("m")]).toEqual(["21.3", "mm"]);
    expect([fine(0.0213, "us-ft"), fineUnit("us-ft")]).toEqual(["0.070", "ftUS"]);
  });
  it("groups thousands", () => expect(grid(5128400.26, "m", 1)).toBe("5\u202f128\u202f400.3"));
  it("never calls a simulated chance certain", () =>
    expect([chance(1), chance(0), chance(0.823)]).toEqual(["> 99 %", "< 1 %", "82 %"]));
  it("gives areas in hectares or acres", () =>
    expect([area(24_000, "m"), area(40_468.564, "ft"), area(120, "m"), area(120, "ft")]).toEqual([
      "2.4 ha",
      "10.0 acres",
      "120 m²",
      "1292 ft²",
    ]));
  it("gives heaps in cubic metres, or in cubic yards of the job's foot", () => {
    expect([surface(100, "m"), surfaceUnit("m"), volume(7.6456, "m"), volumeUnit("m")]).toEqual([
      "100",
      "m²",
      "7.6",
      "m³",
    ]);
    expect([surface(92.903_04, "ft"), surfaceUnit("ft"), volume(7.645_548_58, "ft"), volumeUnit("ft")]).toEqual([
      "1000",
      "ft²",
      "10.0",
      "yd³",
    ]);
    expect([surface(null, "ft"), volume(undefined, "m")]).toEqual(["–", "–"]);
  });
});

describe("angles", () => {
  it("carry at sixty", () => {
    expect(degrees(234.6253)).toBe("234°37'31\"");
    expect(degrees(59.99999)).toBe("60°00'00\"");
    expect(degrees(null)).toBe("–");
  });
});

describe("sentences", () => {
  it("keep a figure and its unit on one line", () => {
    expect(unbroken("good to 50.2 mm at 95 %, which is 2673 m³; 12 marks, 5 min")).toBe(
      "good to 50.2\u00a0mm at 95\u00a0%, which is 2673\u00a0m³; 12 marks, 5\u00a0min",
    );
  });
});

import { describe, expect, it } from "vitest";
import { verticalFrom } from "./slants";

/** The server's table for a disc of radius 0.165 m whose edge lies 0.035 m above the reference point. */
const vertical = (slant: number) => Math.sqrt(slant ** 2 - 0.165 ** 2) - 0.035;
const table = { first: 0.47, step: 0.01, vertical: Array.from({ length: 254 }, (_, k) => vertical(0.47 + 0.01 * k)) };

describe("a slant read between the lines of the table", () => {
  it("is the triangle's vertical to a hundredth of a millimetre", () => {
    for (let slant = 0.5; slant < 2.9; slant += 0.0137)
      expect(Math.abs(verticalFrom(slant, table)! - vertical(slant))).toBeLessThan(1e-5);
  });

  it("is nothing beyond the table", () => {
    expect(verticalFrom(0.2, table)).toBeNull();
    expect(verticalFrom(3.5, table)).toBeNull();
    expect(verticalFrom(1.8, undefined)).toBeNull();
  });
});

import { describe, expect, it } from "vitest";
import { plainStep } from "./frame";
import { ramp } from "./symbols";

const TOKENS = { "in-0": "#e2f0ee", "in-1": "#78b2b0", "out-0": "#f4d6be", "out-1": "#d07442" };
const WORDS = { title: "height error", limitName: "tol" };

describe("the ramp of predicted error", () => {
  it("breaks exactly at the tolerance, into two families", () => {
    const r = ramp([10, 20, 40], 25, WORDS, TOKENS);
    expect(r.edges).toContain(25);
    const inside = new Set(r.colours.slice(0, 4));
    expect(inside.has(r.colour(24.999))).toBe(true);
    expect(inside.has(r.colour(25.001))).toBe(false);
  });
  it("has one family where all is inside, or all outside", () => {
    expect(ramp([10, 12], 25, WORDS, TOKENS).colours).toHaveLength(5);
    expect(ramp([30, 40], 25, WORDS, TOKENS).colour(31)).not.toBe(ramp([10, 12], 25, WORDS, TOKENS).colour(11));
  });
  it("darkens with the error within a family", () => {
    const r = ramp([10, 20, 40], 25, WORDS, TOKENS);
    const red = (colour: string) => Number(/rgb\((\d+)/.exec(colour)![1]);
    expect(red(r.colour(10))).toBeGreaterThan(red(r.colour(24)));
  });
  it("takes many images for good", () => {
    const r = ramp([2, 5, 9], 5, { ...WORDS, largeIsGood: true }, TOKENS);
    expect(r.colour(9)).not.toBe(r.colour(2));
    expect(r.colour(9)).toBe(ramp([2, 5, 9], 5, { ...WORDS, largeIsGood: true }, TOKENS).colour(8.9));
  });
});

describe("plain steps of a grid", () => {
  it("are 1, 2 or 5 times a power of ten", () => {
    expect([0.3, 1, 1.1, 3, 7, 60, 120].map(plainStep)).toEqual([0.5, 1, 2, 5, 10, 100, 200]);
  });
});

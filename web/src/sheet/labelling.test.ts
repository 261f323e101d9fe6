import { describe, expect, it } from "vitest";
import { boxOf, placed as offered, type Placed, type Wanted } from "./labelling";

/** Where every name finds a place. */
function placed(...asked: Parameters<typeof offered>): Placed[] {
  return offered(...asked).map((at) => {
    if (!at) throw new Error("a name without a place");
    return at;
  });
}

function overlapping(a: number[], b: number[]): boolean {
  return (
    Math.min(a[2]!, b[2]!) - Math.max(a[0]!, b[0]!) > 0.01 && Math.min(a[3]!, b[3]!) - Math.max(a[1]!, b[1]!) > 0.01
  );
}

function seeded(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 16807) % 2147483647) / 2147483647;
}

describe("names on the sheet", () => {
  it("stand upper right of their sign where nothing is in the way", () => {
    const [only] = placed([{ x: 100, y: 100, width: 30, sign: 10 }]);
    expect(only!.dx).toBeGreaterThan(15);
    expect(only!.dy).toBeLessThan(0);
    expect(only!.far).toBe(false);
  });

  it("of 40 points and 15 features on one sheet cover no other name and no sign", () => {
    for (const seed of [1, 7, 42]) {
      const next = seeded(seed);
      const points = Array.from({ length: 55 }, (_, k): Wanted => ({
        x: 40 + next() * 560,
        y: 30 + next() * 330,
        width: k < 40 ? 24 + next() * 20 : 60 + next() * 40,
        sign: k < 50 ? 10 : 0,
      }));
      const boxes = placed(points).map((at, k) => boxOf(points[k]!, at));
      const crossed = boxes.flatMap((a, k) => boxes.slice(k + 1).filter((b) => overlapping(a, b)));
      expect(crossed.length).toBe(0);
    }
  });

  it("stay within the sheet as long as their sign does", () => {
    const sheet: [number, number, number, number] = [0, 0, 300, 200];
    const signs = [
      { x: 296, y: 100, width: 40, sign: 10 },
      { x: 150, y: 3, width: 40, sign: 10 },
      { x: 2, y: 198, width: 40, sign: 10 },
    ];
    for (const [k, at] of placed(signs, sheet).entries()) {
      const [a, b, c, d] = boxOf(signs[k]!, at);
      expect(a >= 0 && b >= 0 && c <= 300 && d <= 200).toBe(true);
    }
  });

  it("are left out where they would be covered by half, the first ones staying", () => {
    const crowd = Array.from({ length: 2000 }, (): Wanted => ({ x: 100, y: 100, width: 30, sign: 10 }));
    const began = performance.now();
    const at = offered(crowd);
    expect(performance.now() - began).toBeLessThan(1000);
    const shown = at.flatMap((one, k) => (one ? [boxOf(crowd[k]!, one)] : []));
    expect(at[0]).not.toBeNull();
    expect(shown.length).toBeGreaterThan(5);
    expect(at.some((one) => one?.far)).toBe(false);
    for (const [k, [a, b, c, d]] of shown.entries())
      for (const [a1, b1, c1, d1] of shown.slice(k + 1)) {
        const both = Math.max(0, Math.min(c, c1) - Math.max(a, a1)) * Math.max(0, Math.min(d, d1) - Math.max(b, b1));
        expect(both).toBeLessThan((30 * 15) / 2);
      }
  });

  it("take two thousand on one sheet without a wait", () => {
    const next = seeded(3);
    for (const [wide, high] of [
      [9000, 6000],
      [700, 350],
    ] as const) {
      const many = Array.from({ length: 2000 }, (): Wanted => ({
        x: next() * wide,
        y: next() * high,
        width: 30,
        sign: 10,
      }));
      const began = performance.now();
      expect(offered(many)[0]).not.toBeNull();
      expect(performance.now() - began).toBeLessThan(1000);
    }
  });
});

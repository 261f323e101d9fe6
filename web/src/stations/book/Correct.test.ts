// @vitest-environment jsdom
import { describe, expect, it } from "vitest";
import type { Said } from "../../api/client";
import { correctable, saidAgain } from "./Correct";

const height: Said = { kind: "height", setup: "base", measured_to: "slant", when: "before", typed: "1.8", metres: 1.8 };
const leg: Said = { kind: "leg", flight: "main", leg: 2, images: 90, positions: 88, not_fixed: 0.5, battery: "A" };
const occupation: Said = { kind: "occupation", point: "G1", state: "fixed", epochs: 60, pole: null, setup: null };

describe("an entry said again", () => {
  it("keeps what it is about and takes what was typed", () => {
    const again = saidAgain(height, { typed: "6' 0\"" }, "m") as Extract<Said, { kind: "height" }>;
    expect(again).toMatchObject({ setup: "base", measured_to: "slant", when: "before", typed: "6' 0\"" });
    expect(again.metres).toBeCloseTo(1.8288, 9);
    const typed = { images: "91", positions: "91", not_fixed: "25", battery: "B" };
    expect(saidAgain(leg, typed, "m")).toEqual({ ...leg, images: 91, positions: 91, not_fixed: 0.25, battery: "B" });
    expect(saidAgain(occupation, { epochs: "30", state: "Float" }, "m")).toMatchObject({ epochs: 30, state: "float" });
  });

  it("is nothing where what was typed cannot be", () => {
    expect(saidAgain(height, { typed: "18" }, "m")).toBeNull();
    expect(saidAgain(leg, { images: "ninety", positions: "1", not_fixed: "0" }, "m")).toBeNull();
    expect(saidAgain(leg, { images: "1", positions: "1", not_fixed: "" }, "m")).toBeNull();
    expect(saidAgain(occupation, { epochs: "0", state: "fixed" }, "m")).toBeNull();
    expect(saidAgain({ kind: "note", words: "a" }, { words: " " }, "m")).toBeNull();
  });

  it("is not offered where there is nothing to type", () => {
    expect(correctable({ kind: "arrival" })).toBe(false);
    expect(correctable(height)).toBe(true);
  });
});

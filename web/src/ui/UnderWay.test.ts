import { describe, expect, it } from "vitest";
import type { Underway } from "../api/client";
import { left, words } from "./UnderWay";

const work = (change: Partial<Underway>): Underway => ({
  hash: "x",
  state: "running",
  stage: "propagating to the map",
  share: 0.5,
  seconds_left: null,
  ahead: 0,
  ...change,
});

describe("words for work under way", () => {
  it("tells no time that is not known", () => {
    expect(words(work({}))).toBe("propagating to the map");
    expect(words(work({ stage: "" }))).toBe("starting");
  });
  it("tells the time left with the stage", () => {
    expect(words(work({ seconds_left: 42 }))).toBe("propagating to the map; about 40 s left");
  });
  it("counts what waits before it", () => {
    expect(words(work({ state: "queued", ahead: 3 }))).toBe("waiting; 3 before this one");
    expect(words(work({ state: "queued" }))).toBe("waiting");
  });
  it("is no finer than the time is known", () => {
    expect([0.4, 4.4, 61, 89, 240].map(left)).toEqual(["a second", "4 s", "about 60 s", "about 90 s", "about 4 min"]);
  });
});

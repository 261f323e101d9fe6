// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Day, Said } from "../../api/client";
import { Correct } from "./Correct";
import { LegForm } from "./forms";

const PLAN = { brief: { unit: "us-ft" }, setups: [], control: [], marks: [] };
const SUMMARY = { flights: [{ id: "main", trigger_distance: 20, strips: [{ sortie: 0, exposures: 90 }] }] };
vi.mock("../../app/plan", () => ({ usePlan: () => ({ plan: PLAN, summary: SUMMARY, jobId: "j" }) }));

afterEach(cleanup);

const SORTIE = { id: "leg-main-1", kind: "leg", number: 1, about: ["flights/main"] } as unknown as Day["tasks"][number];

const type = (label: string, text: string) =>
  fireEvent.input(screen.getByLabelText(label), { target: { value: text } });
const usable = (name: string) => !screen.getByRole<HTMLButtonElement>("button", { name }).disabled;

describe("a sortie that landed", () => {
  it("comes with the images planned, and is said with what was typed", async () => {
    const say = vi.fn();
    render(<LegForm task={SORTIE} say={say} />);
    expect(screen.getByText(/90 images planned/)).toBeTruthy();
    await waitFor(() => expect(usable("landed")).toBe(true));
    type("positions", "88");
    type("not fixed, %", "25");
    type("battery", " A2 ");
    fireEvent.click(screen.getByRole("button", { name: "landed" }));
    const said = { kind: "leg", flight: "main", leg: 1, images: 90, positions: 88, not_fixed: 0.25, battery: "A2" };
    await waitFor(() => expect(say).toHaveBeenCalledWith(said));
  });

  it.each([
    ["images", "ninety"],
    ["images", ""],
    ["positions", "-1"],
    ["not fixed, %", "101"],
    ["not fixed, %", ""],
  ])("cannot be said with %s “%s”", async (label, text) => {
    const say = vi.fn();
    render(<LegForm task={SORTIE} say={say} />);
    type(label, text);
    await waitFor(() => expect(usable("landed")).toBe(false));
    fireEvent.submit(screen.getByRole("button", { name: "landed" }).closest("form")!);
    await new Promise((done) => setTimeout(done));
    expect(say).not.toHaveBeenCalled();
  });

  it("that did not fly is said at once", () => {
    const say = vi.fn();
    render(<LegForm task={SORTIE} say={say} />);
    fireEvent.click(screen.getByRole("button", { name: "not flown" }));
    expect(say).toHaveBeenCalledWith({ kind: "leg_not_flown", flight: "main", leg: 1 });
  });
});

describe("an entry corrected", () => {
  const height: Said = {
    kind: "height",
    setup: "b",
    measured_to: "slant",
    when: "before",
    typed: "6.0",
    metres: 1.8288,
  };

  it("shows what was typed, refuses what cannot be, and keeps the rest", async () => {
    const onSay = vi.fn();
    render(<Correct said={height} onSay={onSay} />);
    expect(screen.getByLabelText<HTMLInputElement>("height").value).toBe("6.0");
    type("height", "60");
    await waitFor(() => expect(usable("this instead")).toBe(false));
    type("height", "6.1");
    await waitFor(() => expect(usable("this instead")).toBe(true));
    fireEvent.click(screen.getByRole("button", { name: "this instead" }));
    await waitFor(() => expect(onSay).toHaveBeenCalledOnce());
    const said = onSay.mock.calls[0]![0] as Extract<Said, { kind: "height" }>;
    expect(said).toMatchObject({ setup: "b", measured_to: "slant", typed: "6.1" });
    expect(said.metres).toBeCloseTo(6.1 * (1200 / 3937), 9);
  });
});

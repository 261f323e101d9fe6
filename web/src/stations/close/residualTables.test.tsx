// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Columns, Lines, Points, type Reading } from "./residualTables";

vi.mock("../../app/plan", () => ({ usePlan: () => ({ plan: { brief: { unit: "m" } } }) }));
afterEach(cleanup);

const MEANINGS = [
  { id: "", name: "nothing" },
  { id: "name", name: "name" },
  { id: "de", name: "residual E" },
];
const READING = {
  columns: [
    { head: "Label", means: "name", sample: ["K1", "K2"] },
    { head: "X error", means: "de", sample: ["0.01", "0.02"] },
  ],
  meanings: MEANINGS,
} as unknown as Reading;

const choose = (label: string, value: string) => fireEvent.change(screen.getByLabelText(label), { target: { value } });

describe("the columns of a file", () => {
  it("show what each is taken to hold, with its first lines", () => {
    render(<Columns reading={READING} onChange={vi.fn()} />);
    const [, first] = screen.getAllByRole("row");
    expect(within(first!).getByText("K1 · K2")).toBeTruthy();
    expect(screen.getByLabelText<HTMLSelectElement>("What the column X error holds").value).toBe("de");
  });

  it("hold each thing once: what one is given, the other loses", () => {
    const onChange = vi.fn();
    render(<Columns reading={READING} onChange={onChange} />);
    choose("What the column Label holds", "de");
    expect(onChange).toHaveBeenLastCalledWith(["de", ""]);
    choose("What the column Label holds", "");
    expect(onChange).toHaveBeenLastCalledWith(["", "de"]);
  });
});

describe("the points of a file", () => {
  const row = (point: string, d: number[] | null) => ({
    point,
    name: point,
    used: "unused",
    d,
    known: "",
    images: null,
  });

  it("cannot check where nothing was measured, and tell millimetres with their sign", () => {
    const onUse = vi.fn();
    const rows = [row("K1", [0.0124, -0.003, 0.02]), row("K2", null)] as unknown as Parameters<
      typeof Points
    >[0]["rows"];
    render(<Points rows={rows} onUse={onUse} />);
    const options = (label: string) => [...screen.getByLabelText<HTMLSelectElement>(label).options].map((o) => o.value);
    expect(options("How K1 was used")).toContain("checked");
    expect(options("How K2 was used")).not.toContain("checked");
    const cells = within(screen.getAllByRole("row")[1]!).getAllByRole("cell").slice(3);
    expect(cells.map((cell) => cell.textContent)).toEqual(["12.4", "-3.0", "20.0"]);
    choose("How K1 was used", "checked");
    expect(onUse).toHaveBeenCalledWith("K1", "checked");
  });

  it("stand as they were judged where nothing may be changed", () => {
    const line = { point: "K1", name: "K1", used: "checked", d: [0, 0, 0.011], images: 7 };
    render(<Lines lines={[line] as unknown as Parameters<typeof Lines>[0]["lines"]} />);
    expect(screen.queryByRole("combobox")).toBeNull();
    expect(screen.getAllByRole("cell").map((cell) => cell.textContent)).toEqual([
      "K1",
      "checked",
      "0.0",
      "0.0",
      "11.0",
      "7",
    ]);
  });
});

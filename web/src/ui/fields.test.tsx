// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { FineField, LengthField } from "./fields";

afterEach(cleanup);

function typed(field: HTMLElement, text: string, key = "Enter") {
  fireEvent.focus(field);
  fireEvent.change(field, { target: { value: text } });
  fireEvent.keyDown(field, { key });
}

describe("a field of a length", () => {
  const shown = (value: number | null, unit: string, sent: unknown[]) => (
    <LengthField label="E of G1" value={value} unit={unit} onCommit={(v) => sent.push(v)} />
  );

  it("shows the job's unit and sends metres", () => {
    const sent: number[] = [];
    render(shown(304.8, "ft", sent));
    const field = screen.getByLabelText<HTMLInputElement>("E of G1");
    expect(field.value).toBe("1000.000");
    typed(field, "1000.5 ft");
    fireEvent.blur(field);
    expect(sent).toHaveLength(1);
    expect(sent[0]).toBeCloseTo(1000.5 * 0.3048, 9);
  });

  it("keeps what cannot be read as it was typed, says so, and sends nothing", () => {
    const sent: unknown[] = [];
    render(shown(10, "m", sent));
    const field = screen.getByLabelText<HTMLInputElement>("E of G1");
    typed(field, "12,3.4 x");
    fireEvent.blur(field);
    expect(field.value).toBe("12,3.4 x");
    expect(field.getAttribute("aria-invalid")).toBe("true");
    expect(sent).toEqual([]);
  });

  it("goes back on Escape", () => {
    const sent: unknown[] = [];
    render(shown(10, "m", sent));
    const field = screen.getByLabelText<HTMLInputElement>("E of G1");
    typed(field, "99", "Escape");
    fireEvent.blur(field);
    expect(field.value).toBe("10.000");
    expect(sent).toEqual([]);
  });

  it("does not lose what is being typed when the value changes from elsewhere", () => {
    const sent: unknown[] = [];
    const { rerender } = render(shown(10, "m", sent));
    const field = screen.getByLabelText<HTMLInputElement>("E of G1");
    fireEvent.focus(field);
    fireEvent.change(field, { target: { value: "12.5" } });
    rerender(shown(11, "m", sent));
    expect(field.value).toBe("12.5");
    fireEvent.blur(field);
    expect(sent).toEqual([12.5]);
  });

  it("follows a change from elsewhere while nobody types", () => {
    const { rerender } = render(shown(10, "m", []));
    rerender(shown(11, "m", []));
    expect(screen.getByLabelText<HTMLInputElement>("E of G1").value).toBe("11.000");
  });
});

describe("a field of a small length", () => {
  it("is in millimetres, in feet to the thousandth, and sends metres", () => {
    const sent: number[] = [];
    const one = (unit: string) => (
      <FineField label="sigma" value={0.01} unit={unit} onCommit={(v: number) => sent.push(v)} />
    );
    const { rerender } = render(one("m"));
    const field = screen.getByLabelText<HTMLInputElement>("sigma");
    expect(Number(field.value)).toBe(10);
    rerender(one("ft"));
    expect(field.value).toBe("0.033");
    typed(field, "0.1");
    fireEvent.blur(field);
    expect(sent[0]).toBeCloseTo(0.03048, 9);
  });
});

// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { Field } from "./fields";
import { Glossary, Term } from "./Glossary";

afterEach(cleanup);

const ENTRIES = [
  { term: "shutter speed", says: "Part of a second.", source: "ISO", also: "", labels: ["Shutter speed"] },
  { term: "on the map, absolute", says: "How far off.", source: "ISO", also: "", labels: [] },
];

function page() {
  render(
    <Glossary entries={ENTRIES}>
      <Field label="Shutter speed, 1/s">{(id) => <input id={id} />}</Field>
      <Field label="Title">{(id) => <input id={id} />}</Field>
      <Term of="on the map, absolute">absolute</Term>
    </Glossary>,
  );
}

describe("a label", () => {
  it("tells what it means while it is pointed at and while its field is in focus, and then no more", () => {
    page();
    expect(screen.queryByTestId("explained")).toBeNull();
    fireEvent.mouseEnter(screen.getByText("Shutter speed, 1/s").parentElement!);
    expect(screen.getByTestId("explained").textContent).toContain("Part of a second. ISO");
    fireEvent.mouseLeave(screen.getByText("Shutter speed, 1/s").parentElement!);
    expect(screen.queryByTestId("explained")).toBeNull();
    fireEvent.focus(screen.getByLabelText("Shutter speed, 1/s"));
    expect(screen.getByTestId("explained").textContent).toContain("shutter speed");
    fireEvent.blur(screen.getByLabelText("Shutter speed, 1/s"));
    fireEvent.focus(screen.getByLabelText("Title"));
    expect(screen.queryByTestId("explained")).toBeNull();
  });

  it("tells no more once it is taken away under the pointer", () => {
    const field = <Field label="Shutter speed, 1/s">{(id) => <input id={id} />}</Field>;
    const { rerender } = render(<Glossary entries={ENTRIES}>{field}</Glossary>);
    fireEvent.mouseEnter(screen.getByText("Shutter speed, 1/s").parentElement!);
    expect(screen.queryByTestId("explained")).not.toBeNull();
    rerender(<Glossary entries={ENTRIES}>another station</Glossary>);
    expect(screen.queryByTestId("explained")).toBeNull();
  });

  it("is explained whole before it is by what stands before its unit", () => {
    page();
    fireEvent.focus(screen.getByText("absolute"));
    expect(screen.getByTestId("explained").textContent).toContain("How far off.");
  });
});

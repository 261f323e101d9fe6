// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { Remove } from "./Remove";
import { Tabs } from "./Tabs";

afterEach(cleanup);

describe("tabs", () => {
  const tabs = [
    { id: "a", name: "north" },
    { id: "b", name: "south" },
  ];

  it("tell which is looked at, and choose another", () => {
    const chosen: string[] = [];
    render(<Tabs label="Flights" tabs={tabs} chosen="a" onChoose={(id) => chosen.push(id)} />);
    expect(screen.getByRole("tab", { name: "north" }).getAttribute("aria-selected")).toBe("true");
    fireEvent.click(screen.getByRole("tab", { name: "south" }));
    expect(chosen).toEqual(["b"]);
  });

  it("keep what is done to them out of the list of tabs", () => {
    render(
      <Tabs label="Flights" tabs={tabs} chosen="a" onChoose={() => undefined}>
        <button>another flight</button>
      </Tabs>,
    );
    const list = screen.getByRole("tablist", { name: "Flights" });
    expect(list.querySelectorAll("button").length).toBe(2);
    expect(screen.getByRole("button", { name: "another flight" })).toBeTruthy();
  });
});

describe("a thing that is needed", () => {
  it("cannot be removed, and says by what it is needed", () => {
    let removed = 0;
    const { rerender } = render(<Remove neededBy="a flight rests on it" onClick={() => (removed += 1)} />);
    const button = screen.getByRole("button", { name: "remove" });
    fireEvent.click(button);
    expect(removed).toBe(0);
    expect(button.title).toBe("a flight rests on it");
    rerender(<Remove onClick={() => (removed += 1)} />);
    fireEvent.click(button);
    expect(removed).toBe(1);
  });
});

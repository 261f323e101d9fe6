// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { call } from "../api/client";
import { SignInForm } from "./SignIn";

vi.mock("../api/client", () => ({ call: vi.fn() }));
afterEach(cleanup);

const shown = (onDone: () => void) =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <SignInForm onDone={onDone} />
    </QueryClientProvider>,
  );
const type = (label: string, text: string) =>
  fireEvent.input(screen.getByLabelText(label), { target: { value: text } });

it("name and password are sent once the token is there", async () => {
  const onDone = vi.fn();
  vi.mocked(call).mockResolvedValue({ signed_in: true });
  shown(onDone);
  type("Name", "ines");
  type("Password", "dune");
  fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
  await waitFor(() => expect(onDone).toHaveBeenCalledWith({ signed_in: true }));
  expect(vi.mocked(call).mock.calls).toEqual([
    ["GET", "/session"],
    ["POST", "/session", { username: "ines", password: "dune" }],
  ]);
});

it("a refusal is told, and what was typed stays", async () => {
  const onDone = vi.fn();
  vi.mocked(call).mockRejectedValue({ what: "Name or password is wrong.", where: "", mend: "" });
  shown(onDone);
  type("Name", "ines");
  type("Password", "dune");
  fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
  await screen.findByText(/Name or password is wrong/);
  expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("ines");
  expect(onDone).not.toHaveBeenCalled();
});

import { fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { expect, it, vi } from "vitest";
import { ErrorBoundary } from "./ErrorBoundary";
import { Tabs } from "./Tabs";

function Three() {
  const [value, setValue] = useState<"one" | "two" | "three">("one");
  return (
    <Tabs label="Numbers" all={["one", "two", "three"]} value={value} onChange={setValue}>
      it is {value}
    </Tabs>
  );
}

it("are one stop of the Tab key, and arrows go round", () => {
  render(<Three />);
  const tab = (name: string) => screen.getByRole("tab", { name });
  expect([tab("one"), tab("two")].map((t) => t.tabIndex)).toEqual([0, -1]);
  tab("one").focus();
  for (const [key, now] of [
    ["ArrowRight", "two"],
    ["End", "three"],
    ["ArrowRight", "one"],
    ["ArrowLeft", "three"],
    ["Home", "one"],
  ] as const) {
    fireEvent.keyDown(document.activeElement as Element, { key });
    expect(document.activeElement).toBe(tab(now));
    expect(tab(now).getAttribute("aria-selected")).toBe("true");
    expect(screen.getByRole("tabpanel", { name: now }).textContent).toBe(`it is ${now}`);
  }
  expect(tab("one").getAttribute("aria-controls")).toBe(screen.getByRole("tabpanel").id);
});

const Broken = (): never => {
  throw new Error("no such camera");
};

it("says that a view has broken, and leaves the way back", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  render(
    <ErrorBoundary>
      <Broken />
    </ErrorBoundary>,
  );
  expect(screen.getByRole("alert").textContent).toContain("no such camera");
  expect(screen.getByText("To the Board").getAttribute("href")).toBe("/");
});

import { render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { Problem } from "./Feedback";

afterEach(() => {
  vi.restoreAllMocks();
});

it("brings a problem into view and goes away quietly, whatever scrolling gives back", () => {
  const scrolled = vi.fn(() => Promise.resolve());
  Element.prototype.scrollIntoView = scrolled;
  const shown = render(<Problem error={new Error("The disc is full.")} />);
  expect(screen.getByRole("alert").textContent).toContain("The disc is full.");
  expect(scrolled).toHaveBeenCalledTimes(1);
  shown.rerender(<Problem error={new Error("The disc is full.")} />);
  expect(scrolled).toHaveBeenCalledTimes(1);
  shown.rerender(<Problem error={new Error("No room.")} />);
  expect(scrolled).toHaveBeenCalledTimes(2);
  expect(() => shown.unmount()).not.toThrow();
});

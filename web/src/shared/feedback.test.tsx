import { render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { ProblemError } from "@/api/client";
import { Problem } from "./Feedback";

afterEach(() => {
  vi.restoreAllMocks();
});

it("brings a problem into view and goes away quietly, whatever scrolling gives back", () => {
  const scrolled = vi.fn(() => Promise.resolve());
  Element.prototype.scrollIntoView = scrolled;
  const full = new ProblemError("disc", "The disc is full.", "Make room.");
  const shown = render(<Problem error={full} />);
  expect(screen.getByRole("alert").textContent).toContain("The disc is full.");
  expect(scrolled).toHaveBeenCalledTimes(1);
  shown.rerender(<Problem error={full} />);
  expect(scrolled).toHaveBeenCalledTimes(1);
  shown.rerender(<Problem error={new ProblemError("disc", "No room.", "Make some.")} />);
  expect(scrolled).toHaveBeenCalledTimes(2);
  expect(() => shown.unmount()).not.toThrow();
});

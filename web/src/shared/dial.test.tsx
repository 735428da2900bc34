import { fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { expect, it, vi } from "vitest";
import { Dial } from "./Dial";

function Turned({ onSeen, neutral = 0 }: { onSeen: (v: number) => void; neutral?: number }) {
  const [value, setValue] = useState(neutral);
  return (
    <Dial
      label="Exposure"
      value={value}
      low={-2}
      high={2}
      step={0.1}
      neutral={neutral}
      unit="stops"
      onChange={(v) => {
        onSeen(v);
        setValue(v);
      }}
    />
  );
}

it("steps finely with Shift, on the slider and in the figure", () => {
  const seen = vi.fn();
  render(<Turned onSeen={seen} />);
  fireEvent.keyDown(screen.getByLabelText("Exposure"), { key: "ArrowRight", shiftKey: true });
  expect(seen.mock.lastCall?.[0]).toBeCloseTo(0.02);
  fireEvent.keyDown(screen.getByLabelText("Exposure, value"), { key: "ArrowUp" });
  expect(seen.mock.lastCall?.[0]).toBeCloseTo(0.12);
});

it("says what was wrong with what was typed, and keeps the value", () => {
  const seen = vi.fn();
  render(<Turned onSeen={seen} />);
  const figure = screen.getByLabelText("Exposure, value");
  fireEvent.change(figure, { target: { value: "abc" } });
  fireEvent.blur(figure);
  expect(screen.getByRole("alert").textContent).toContain("“abc” is not a number. Give -2 to 2.");
  expect(seen).not.toHaveBeenCalled();
  fireEvent.change(figure, { target: { value: "7" } });
  fireEvent.blur(figure);
  expect(seen).toHaveBeenLastCalledWith(2);
  expect(screen.getByRole("alert").textContent).toContain("7 is beyond -2 to 2");
});

it("fills from the middle where the middle is neutral, and only there", () => {
  const { container, unmount } = render(<Turned onSeen={vi.fn()} />);
  fireEvent.change(screen.getByLabelText("Exposure"), { target: { value: "-1" } });
  const bar = container.querySelector<HTMLElement>("[aria-hidden=true]");
  expect([bar?.style.left, bar?.style.width]).toEqual(["25%", "25%"]);
  unmount();
  const plain = render(<Turned onSeen={vi.fn()} neutral={-2} />);
  expect(plain.container.querySelector("[aria-hidden=true]")).toBeNull();
});

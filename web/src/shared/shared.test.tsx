import { fireEvent, render, screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { ProblemError } from "@/api/client";
import { Dialog } from "./Dialog";
import { Problem } from "./Feedback";
import { CameraMark, STATE_WORDS, type State, StateMark } from "./Marks";
import { SCALES, signed, TunerTicks } from "./Tuner";
import { useKeys } from "./useKeys";

const OFF = { exposure: -0.31, warmth: 38, tint: 1.2, contrast: -0.02, strength: 6 };

describe("states and cameras", () => {
  it("are told by shape and word, never by hue", () => {
    for (const state of Object.keys(STATE_WORDS) as State[]) {
      const { container, unmount } = render(<StateMark state={state} />);
      expect(screen.getByLabelText(STATE_WORDS[state])).toBeTruthy();
      expect(container.innerHTML).not.toMatch(/#[0-9a-f]{3,6}|rgb\(/i);
      unmount();
    }
  });

  it("draw no two states alike", () => {
    const drawn = (Object.keys(STATE_WORDS) as State[]).map(
      (state) => render(<StateMark state={state} />).container.querySelector("svg")?.innerHTML,
    );
    expect(new Set(drawn).size).toBe(drawn.length);
  });

  it("give the reference a double outline", () => {
    const one = render(<CameraMark letter="A" />).container.querySelectorAll("path").length;
    const two = render(<CameraMark letter="A" reference />).container.querySelectorAll(
      "path",
    ).length;
    expect([one, two]).toEqual([1, 2]);
  });
});

describe("the tuner", () => {
  it("writes values with sign, unit and a real minus", () => {
    expect(SCALES.map((s) => s.write(OFF[s.key]))).toEqual([
      "−0.31 stop",
      "+38 mired",
      "+1.2 Duv·10³",
      "slope 0.980",
      "+6 %",
    ]);
  });

  it("shows nothing as nothing, whatever its sign", () => {
    expect([signed(0, 2), signed(-0.001, 2), signed(0.004, 2)]).toEqual(["0.00", "0.00", "0.00"]);
  });

  it("says in words what its ticks show", () => {
    render(<TunerTicks tuner={OFF} />);
    expect(screen.getByRole("img").getAttribute("aria-label")).toContain("Warmth +38 mired");
    expect(SCALES).toHaveLength(5);
  });
});

function Keyed({ onW, onUp }: { onW: () => void; onUp: () => void }) {
  useKeys({ w: onW, arrowleft: onW }, { r: onUp });
  return <input aria-label="field" />;
}

describe("keys", () => {
  it("act whatever their case, and once while held", () => {
    const onW = vi.fn();
    const onUp = vi.fn();
    render(<Keyed onW={onW} onUp={onUp} />);
    fireEvent.keyDown(window, { key: "W" });
    fireEvent.keyDown(window, { key: "w", repeat: true });
    fireEvent.keyDown(window, { key: "ArrowLeft" });
    fireEvent.keyUp(window, { key: "r" });
    expect(onW).toHaveBeenCalledTimes(2);
    expect(onUp).toHaveBeenCalledTimes(1);
  });

  it("leave typing, shortcuts of the browser and open dialogs alone", () => {
    const onW = vi.fn();
    render(<Keyed onW={onW} onUp={vi.fn()} />);
    fireEvent.keyDown(screen.getByLabelText("field"), { key: "w" });
    fireEvent.keyDown(window, { key: "w", ctrlKey: true });
    render(
      <Dialog title="Find" onClose={vi.fn()}>
        text
      </Dialog>,
    );
    fireEvent.keyDown(window, { key: "w" });
    expect(onW).not.toHaveBeenCalled();
  });
});

describe("dialogs and problems", () => {
  it("put the focus where one types, and close by Escape at once", () => {
    const onClose = vi.fn();
    render(
      <Dialog title="Find" onClose={onClose}>
        <input data-first aria-label="name" />
      </Dialog>,
    );
    expect(document.activeElement).toBe(screen.getByLabelText("name"));
    fireEvent(screen.getByRole("dialog"), new Event("cancel", { cancelable: true }));
    expect(onClose).toHaveBeenCalledTimes(1);
  });

  it("say what was found and what to do, and offer to try again", () => {
    const again = vi.fn();
    render(
      <Problem
        error={new ProblemError("chart.not_found", "No chart.", "Place it.")}
        onRetry={again}
      />,
    );
    expect(screen.getByRole("alert").textContent).toContain("No chart.Place it.");
    fireEvent.click(screen.getByText("Try again"));
    expect(again).toHaveBeenCalled();
  });

  it("say that the server does not answer when it does not", () => {
    render(<Problem error={new TypeError("Failed to fetch")} />);
    expect(screen.getByRole("alert").textContent).toContain("does not answer");
  });
});

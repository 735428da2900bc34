import { fireEvent, render, screen, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Angle, Point } from "@/api/client";
import { type FitChoice, plainChoice } from "@/shared/fitChoice";
import { angle, clip, layout, match, residuals } from "@/test/fixtures";
import { show } from "@/test/show";
import { FitPanel } from "./FitPanel";
import { GridOverlay } from "./GridOverlay";
import { Residuals } from "./Residuals";

const CORNERS: Point[] = [
  [238, 202],
  [415, 202],
  [417, 305],
  [239, 309],
];

function panel(data: Angle, choice: FitChoice = plainChoice) {
  const onChoice = vi.fn();
  const onFit = vi.fn();
  show(
    <FitPanel
      angle={data}
      busy={false}
      error={null}
      canFit
      choice={choice}
      onChoice={onChoice}
      onFit={onFit}
    />,
  );
  return { onChoice, onFit };
}

describe("the verdict", () => {
  it("trusts a match by what the fit has not seen, not by the chart's residuals", () => {
    panel(angle({ match: match({ after: 0.1, expected: 1.9, verdict: "Usable" }) }));
    expect(screen.getByText(/^Usable: ΔE 1.90/)).toBeTruthy();
  });

  it("says of a match that is older than its readings to fit again", () => {
    panel(angle({ state: "stale", match: match() }));
    expect(screen.getByText(/^Fit again: a reading/)).toBeTruthy();
  });

  it("speaks of faces when skins stay apart, and counts what is left out", () => {
    const odd = residuals({
      1: { after: 2 },
      2: { after: 3 },
      19: { left_out: "clipped in the angle" },
    });
    panel(angle({ match: match({ residuals: odd }) }));
    expect(screen.getByText(/Skins stay ΔE 2.5: look at faces/)).toBeTruthy();
    expect(screen.getByText(/1 patch is left out/)).toBeTruthy();
  });

  it("says how far off it may be, what limits it and what would help most", () => {
    panel(angle({ match: match() }));
    expect(screen.getByText(/0.80 for colours off the chart, 0.5 to 1.4/)).toBeTruthy();
    expect(screen.getByText(/The chart limits this match/)).toBeTruthy();
    expect(screen.getByText(/Average more frames .* \(−0.12 ΔE\)/)).toBeTruthy();
  });

  it("lets another model be taken for the next fit, beside what it would give", () => {
    const { onChoice } = panel(angle({ match: match() }));
    const row = screen.getByLabelText("3×3, neutral kept");
    expect(row.closest("tr")?.textContent).toContain("1.00");
    fireEvent.click(row);
    expect(onChoice).toHaveBeenCalledWith({ ...plainChoice, model: "matrix" });
    fireEvent.click(screen.getByLabelText("skins count four times"));
    expect(onChoice).toHaveBeenLastCalledWith({ ...plainChoice, skins: true });
  });

  it("shows the fit's warnings", () => {
    panel(
      angle({
        match: match({ warnings: ["The grey ramp of the angle speaks against full levels."] }),
      }),
    );
    expect(screen.getByText(/speaks against full levels/)).toBeTruthy();
  });

  it("says which chart is to be read before a fit", () => {
    const unread = angle({ match: null });
    panel({ ...unread, angle: { ...unread.angle, reading: null } });
    expect(screen.getByText(/Find the chart in B's picture/)).toBeTruthy();
  });
});

describe("what to turn in the camera", () => {
  it("is said relative to its present setting", () => {
    panel(angle({ match: match({ stops: 0.33, warmth: 38 }) }));
    expect(screen.getByText(/Give B 0.3 stop more and set it 40 mired cooler/)).toBeTruthy();
  });

  it("is nothing when nothing is worth it", () => {
    panel(angle({ match: match({ stops: 0.05, warmth: -1 }) }));
    expect(screen.getByText("Nothing worth turning.")).toBeTruthy();
  });
});

describe("the ranked list", () => {
  const shown = (odd = {}) => {
    const onToggle = vi.fn();
    render(
      <Residuals
        residuals={residuals(odd)}
        reference={[]}
        own={[]}
        tolerance={1}
        leaveOut={[4]}
        onToggle={onToggle}
      />,
    );
    return { onToggle, rows: within(screen.getByTestId("residuals")).getAllByRole("button") };
  };

  it("puts the worst colour first, greys in their own group, left-out patches last with the reason", () => {
    const { rows } = shown({
      9: { after: 5 },
      22: { after: 7 },
      3: { left_out: "glare in the angle" },
    });
    const numbers = rows.map((row) => Number(/ (\d+)/.exec(row.textContent ?? "")?.[1]));
    expect(numbers[0]).toBe(9);
    expect(numbers.slice(17, 23).sort()).toEqual([19, 20, 21, 22, 23, 24]);
    expect(numbers[17]).toBe(22);
    expect(rows[23]?.textContent).toContain("glare in the angle");
  });

  it("leaves a patch out of the next fit by a click, and shows that", () => {
    const { rows, onToggle } = shown();
    const foliage = rows.find((row) => row.textContent?.startsWith("foliage"));
    expect(foliage?.getAttribute("aria-pressed")).toBe("true");
    if (foliage) fireEvent.click(foliage);
    expect(onToggle).toHaveBeenCalledWith(4);
  });
});

describe("the grid's handles", () => {
  const grid = () => {
    const onMove = vi.fn();
    const onRead = vi.fn();
    render(
      <GridOverlay
        layout={layout()}
        clip={clip()}
        corners={CORNERS}
        flags={[]}
        onMove={onMove}
        onHold={vi.fn()}
        onRead={onRead}
      />,
    );
    return { onMove, onRead, handle: screen.getByLabelText(/^corner patch 24/) };
  };

  it("step a pixel by arrows and a tenth with Shift", () => {
    const { onMove, handle } = grid();
    fireEvent.keyDown(handle, { key: "ArrowLeft" });
    expect(onMove.mock.lastCall?.[0][2]).toEqual([416, 305]);
    fireEvent.keyDown(handle, { key: "ArrowDown", shiftKey: true });
    expect(onMove.mock.lastCall?.[0][2][1]).toBeCloseTo(305.1);
    expect(onMove.mock.lastCall?.[0][0]).toEqual(CORNERS[0]);
  });

  it("read the chart by Enter", () => {
    const { onRead, handle } = grid();
    fireEvent.keyDown(handle, { key: "Enter" });
    expect(onRead).toHaveBeenCalledTimes(1);
  });

  it("stay inside of the picture", () => {
    const onMove = vi.fn();
    const edge: Point[] = [[0, 0], ...CORNERS.slice(1)];
    render(
      <GridOverlay
        layout={layout()}
        clip={clip()}
        corners={edge}
        flags={[]}
        onMove={onMove}
        onHold={vi.fn()}
        onRead={vi.fn()}
      />,
    );
    fireEvent.keyDown(screen.getByLabelText(/^corner patch 1,/), { key: "ArrowUp" });
    expect(onMove.mock.lastCall?.[0][0]).toEqual([0, 0]);
  });
});

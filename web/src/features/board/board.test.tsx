import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Cell } from "@/api/client";
import { camera, cell, light } from "@/test/fixtures";
import { show } from "@/test/show";
import { BoardCell } from "./BoardCell";
import { urgency, worstFirst } from "./order";

const shown = (changes: Partial<Cell>, reference = false) =>
  show(
    <BoardCell
      cell={cell(changes)}
      camera={camera({ is_reference: reference })}
      light={light()}
      production={1}
      chosen={false}
      onChoose={vi.fn()}
      onBringIn={vi.fn()}
    />,
  );

describe("a cell", () => {
  it("shows the figure that can be trusted and opens the Bench", () => {
    shown({});
    expect(screen.getByText("0.89")).toBeTruthy();
    expect(screen.getByLabelText("in tune")).toBeTruthy();
    expect(screen.getByLabelText(/open the Bench/).getAttribute("href")).toBe("/p/1/l/1/c/2/bench");
  });

  it.each([
    ["read_chart", "not_measured", "Read chart"],
    ["read_reference", "not_measured", "Read reference"],
    ["fit", "off", "Fit a match"],
    ["fit_again", "stale", "Fit again"],
  ] as const)("offers the next step %s", (next_step, state, text) => {
    shown({ next_step, state });
    expect(screen.getByText(text).getAttribute("href")).toBe("/p/1/l/1/c/2/chart");
  });

  it("says that a distance is one without a match", () => {
    shown({ state: "off", delta_e: 7.7, match_number: null, next_step: "fit" });
    expect(screen.getByText(/unmatched/)).toBeTruthy();
  });

  it("asks for a clip where there is none, and opens the chart of the reference", () => {
    shown({
      clip: null,
      chart_clip: null,
      state: "not_measured",
      delta_e: null,
      tuner: null,
      next_step: "bring_in",
    });
    expect(screen.getByText("Bring in")).toBeTruthy();
    shown({ state: "reference", delta_e: null, tuner: null }, true);
    expect(
      screen.getByLabelText(/open the Chart$/, { selector: "a:has(img)" }).getAttribute("href"),
    ).toContain("/chart");
  });
});

describe("furthest first", () => {
  it("asks for the unmeasured, then the stale, then the far", () => {
    const states = [
      cell({ state: "in_tune", delta_e: 0.5 }),
      cell({ state: "off", delta_e: 9 }),
      cell({ state: "stale", delta_e: 0.4 }),
      cell({ state: "not_measured", delta_e: null }),
      cell({ state: "reference", delta_e: null }),
    ];
    const order = [...states].sort((a, b) => urgency(b) - urgency(a)).map((c) => c.state);
    expect(order).toEqual(["not_measured", "stale", "off", "in_tune", "reference"]);
  });

  it("orders lights by their worst cell and leaves the list as it was", () => {
    const lights = [light({ id: 1 }), light({ id: 2 }), light({ id: 3 })];
    const cells = [
      cell({ light_id: 1, delta_e: 0.4 }),
      cell({ light_id: 2, delta_e: 5, state: "off" }),
      cell({ light_id: 2, delta_e: 0.1 }),
    ];
    expect(worstFirst(lights, cells).map((l) => l.id)).toEqual([2, 1, 3]);
    expect(lights.map((l) => l.id)).toEqual([1, 2, 3]);
  });
});

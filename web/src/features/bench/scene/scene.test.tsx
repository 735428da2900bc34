import { act, fireEvent, screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { angle, match } from "@/test/fixtures";
import { show } from "@/test/show";
import { createHand } from "../hand";
import { UNZOOMED, zoomed } from "../seen";
import { acrossOf, type Spot } from "./across";
import { DriftCurve } from "./DriftCurve";
import { ExpectedOf, MatchScene, standsOn } from "./MatchScene";
import { PlacesLayer } from "./PlacesLayer";
import type { Scene } from "./useScene";

// An angle that stands aside, turned a little and twice as near: an affine view of the reference.
const view = ([x, y]: [number, number]): [number, number] => [
  0.3 + 0.6 * x - 0.05 * y,
  0.1 + 0.04 * x + 0.6 * y,
];
const spot = (x: number, y: number, more: Partial<Spot> = {}): Spot => ({
  reference: [x, y],
  angle: view([x, y]),
  box: [x, y, 0.04, 0.04],
  count: 12,
  used: 1,
  miss: 0.4,
  by_hand: false,
  ...more,
});
const SPOTS = [0.2, 0.35, 0.5, 0.65].flatMap((x) => [0.3, 0.5, 0.7].map((y) => spot(x, y)));
const wrong = spot(0.4, 0.45, { angle: [0.9, 0.9], used: 0.1 });
const scene = (more: Partial<Scene> = {}): Scene => ({
  shown: true,
  show: vi.fn(),
  spots: SPOTS,
  run: vi.fn(),
  running: false,
  step: "",
  error: null,
  problem: null,
  toggle: vi.fn(),
  steady: vi.fn(),
  compare: vi.fn(),
  pin: undefined,
  aim: vi.fn(),
  ...more,
});

describe("matched places", () => {
  it("lead from one picture to the other, both ways, without those that were set aside", () => {
    const across = acrossOf([...SPOTS, wrong]);
    const [x, y] = across?.(0, [0.42, 0.47]) ?? [0, 0];
    expect([x, y]).toEqual(view([0.42, 0.47]).map((v) => expect.closeTo(v, 3)));
    const back = across?.(1, view([0.42, 0.47]));
    expect(back).toEqual([expect.closeTo(0.42, 3), expect.closeTo(0.47, 3)]);
    // Where no place is near nothing is said; too few say nothing at all.
    expect(across?.(0, [0.95, 0.05])).toBeNull();
    expect(acrossOf(SPOTS.slice(0, 5))).toBeNull();
  });

  it("bring what the pointer is at to the same place of the screen in both pictures", () => {
    const near = zoomed(UNZOOMED, 4, 0.42, 0.47, { side: 0, across: acrossOf(SPOTS) });
    const there = near.at[1].map((at, i) => at + ([0.42, 0.47][i] as number) / 4 - 0.5 / 4);
    expect(there).toEqual(view([0.42, 0.47]).map((v) => expect.closeTo(v, 3)));
    expect(zoomed(UNZOOMED, 4, 0.42, 0.47).at[1]).toEqual(near.at[0]);
  });

  it("are shown by how many they are, and are taken out and in again by a press", () => {
    const shown = scene({ spots: [spot(0.2, 0.3, { count: 90 }), spot(0.5, 0.5), wrong] });
    show(<PlacesLayer side={0} scene={shown} hand={createHand()} zoom={UNZOOMED} />);
    const buttons = screen.getAllByRole("button");
    const width = (i: number) => Number.parseFloat(buttons[i]?.style.width ?? "0");
    expect(width(0)).toBeGreaterThan(width(1));
    expect(buttons[2]?.title).toContain("set aside");
    act(() => buttons[1]?.click());
    expect(shown.toggle).toHaveBeenCalledWith(shown.spots[1]);
  });
});

describe("a match without a chart", () => {
  it("offers what there is to match from, the best first", () => {
    const offered = scene();
    show(
      <MatchScene
        angle={angle()}
        scene={offered}
        clips={[{ id: 1 }, { id: 2 }]}
        frames={[4, 6]}
        shared={3}
      />,
    );
    expect(screen.getAllByRole("button").map((b) => b.textContent)).toEqual([
      "Match from the picture",
      "Picture and 3 probes",
      "3 probes only",
      "Mark areas …",
      "Estimate",
      "Places",
    ]);
    act(() => screen.getByText("3 probes only").click());
    expect(offered.run).toHaveBeenCalledWith({ by: "areas" });
  });

  it("is made from what is marked in both pictures, by mouse or keys", () => {
    const offered = scene();
    const marked = (
      <MatchScene
        angle={angle()}
        scene={offered}
        clips={[{ id: 1 }, { id: 2 }]}
        frames={[4, 6]}
        shared={0}
      />
    );
    show(marked);
    act(() => screen.getByText("Mark areas …").click());
    const [one, other] = screen.getAllByRole("application");
    if (!one || !other) throw new Error("two pictures");
    const press = (on: HTMLElement, ...keys: string[]) => {
      fireEvent.focus(on);
      for (const key of keys) fireEvent.keyDown(on, { key });
    };
    press(one, "ArrowLeft", "Enter");
    expect(screen.getByText("Match by 0 areas")).toHaveProperty("disabled", true);
    press(other, "Enter");
    act(() => screen.getByText("Match by 1 area").click());
    const [asked] = vi.mocked(offered.run).mock.calls[0] ?? [];
    expect(asked?.frames).toEqual([4, 6]);
    const places = asked?.areas?.[0]?.map((box) => box.map((v) => v.toFixed(3)));
    expect(places).toEqual([
      ["0.455", "0.475", "0.050", "0.050"],
      ["0.475", "0.475", "0.050", "0.050"],
    ]);
    expect(screen.queryByRole("dialog")).toBeNull();
    // The sheet comes back as it was. Areas that limit may be marked in one picture only.
    act(() => screen.getByText("Mark areas …").click());
    act(() => screen.getByTitle("Take this area out").click());
    const [again] = screen.getAllByRole("application");
    if (again) press(again, "Enter");
    const select = screen.getByRole("combobox", { name: "What the areas are for" });
    fireEvent.change(select, { target: { value: "without" } });
    act(() => screen.getByText("Match from the picture", { selector: "dialog *" }).click());
    const [limited] = vi.mocked(offered.run).mock.calls[1] ?? [];
    expect([limited?.by, limited?.use, limited?.areas?.[0]?.[1]]).toEqual([
      "picture",
      "without",
      [0, 0, 0, 0],
    ]);
  });

  it("says from what it is, and what to expect of which colours", () => {
    const of = {
      clips: ["a", "b"] as [string, string],
      names: ["A", "B"] as [string, string],
      places: 812,
      overlap: 0.314,
      clusters: 60,
      aside: 2,
      probes: 0,
      misses: [],
      mix: 1,
      left_out: [[0, 0, 0.04, 0.04]] as [number, number, number, number][],
      areas: [],
      area_frames: [0, 0] as [number, number],
      area_use: "same" as const,
    };
    expect(standsOn(match({ kind: "picture", scene: of }))).toBe(
      "from the picture: 812 places, 31 % in common, 1 taken out",
    );
    expect(standsOn(match({ kind: "statistics", scene: { ...of, mix: 0.4 } }))).toBe(
      "an estimate by statistics, 40 % of it",
    );
    const box = [0, 0, 0.1, 0.1] as [number, number, number, number];
    const areas = { ...of, areas: [[box, box]] as [typeof box, typeof box][] };
    expect(standsOn(match({ kind: "areas", scene: areas }))).toBe("from 1 area");
    const one = { mean: 0.5, low: 0.3, high: 0.9 };
    const two = { mean: 0.9, low: 0.4, high: 2 };
    const said = match({
      expected_low: 0.33,
      expected_high: 1.5,
      expected_seen: { seen: one, unseen: two },
      advice: [{ text: "Both see no blue.", gain: 0 }],
    });
    const { container } = show(<ExpectedOf match={said} />);
    expect(container.textContent).toContain("0.50 of colours in the scene, 0.90 of others");
    expect(container.textContent).toContain("0.33 to 1.50");
    expect(container.textContent).toContain("Both see no blue.");
  });

  it("shows how the two drift apart over the clip, and says it in figures", () => {
    const point = (frame: number, exposure: number) => ({
      frame,
      exposure,
      warmth: 2,
      tint: 0,
      reference: 0,
      angle: exposure,
      still: 1,
    });
    show(<DriftCurve points={[point(0, 0), point(12, -0.2), point(23, -0.4)]} />);
    const curve = screen.getByRole("img", {
      name: "Drift over frames 1 to 24: exposure -0.40 to 0.00 stop, warmth 2 to 2 mired",
    });
    const [light] = curve.querySelectorAll("polyline");
    expect(light?.getAttribute("points")).toBe("0.0,22.0 78.3,33.0 150.0,44.0");
  });
});

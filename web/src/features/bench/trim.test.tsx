import { readFileSync } from "node:fs";
import { fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import type { Tuner } from "@/api/client";
import { placeOn } from "@/shared/Turn";
import { CurveEditor, through } from "./CurveEditor";
import { withHue } from "./HueWheel";
import { Reader } from "./probes/reader";
import { inPicture, panned, regionOf, UNZOOMED, zoomed, zoomFrom, zoomText } from "./seen";
import { TunerHand } from "./TunerHand";
import {
  bypassed,
  isNeutral,
  NEUTRAL,
  standing,
  type TrimStage,
  takenOff,
  turned,
  without,
} from "./trimParts";
import { NO_AIM } from "./useMeasured";
import type { TrimUnderHand } from "./useTrim";

const OFF: Tuner = { exposure: 0.3, warmth: -12, tint: 1.4, contrast: 0.08, strength: -6 };
const ALL = ["exposure", "warmth", "tint", "contrast", "strength"] as const;

function Hand({
  onSet,
  measured,
  aim = NO_AIM,
}: {
  onSet: (t: TrimStage) => void;
  measured: Tuner | null;
  aim?: Tuner;
}) {
  const [now, setNow] = useState<TrimStage>(NEUTRAL);
  const set = (next: TrimStage | null) => {
    if (!next) return;
    onSet(next);
    setNow(next);
  };
  const trim = { now, kept: NEUTRAL, set, where: "B in Pit" } as unknown as TrimUnderHand;
  return (
    <TunerHand
      measured={measured}
      measuredAt={NEUTRAL}
      aim={aim}
      isFresh
      trim={trim}
      disabled={false}
    />
  );
}

describe("a trim under the hand", () => {
  it("takes a deviation off so that every needle stands at zero", () => {
    const before: TrimStage = { ...NEUTRAL, stops: -0.1, contrast: 1.04 };
    const after = standing(OFF, before, takenOff(before, OFF, ALL));
    for (const scale of ALL) expect(Math.abs(after[scale])).toBeLessThan(0.02);
  });

  it("takes white off by as much as the core says, whatever was turned since", () => {
    const known = {
      at: { ...NEUTRAL, warmth: 10 },
      turn: { exposure: 0.07, warmth: -52, tint: 3 },
    };
    const now = { ...NEUTRAL, warmth: 18, stops: 0.1 };
    const all = takenOff(now, OFF, ALL, undefined, known);
    expect([all.stops, all.warmth, all.tint]).toEqual([0.07, -42, 3]);
    // White alone takes no light with it: exposure is turned by its own figure.
    expect(takenOff(now, OFF, ["warmth"], undefined, known).stops).toBe(0.1);
    const light = takenOff(now, OFF, ["exposure"], undefined, known);
    expect(light.stops).toBeCloseTo(0.1 - OFF.exposure);
  });

  it("turns a needle by what the hand moved, within the scale's range", () => {
    expect(turned({ warmth: 240 }, "warmth", 40).warmth).toBe(250);
    // What a contrast may be says the core (chain.stages.trim): 0.25 to 4, of which a dial shows less.
    expect(turned(NEUTRAL, "contrast", 9).contrast).toBe(4);
    const now = turned(NEUTRAL, "contrast", 0.01, 0.2);
    expect(standing({ ...OFF, contrast: 0.2 }, NEUTRAL, now).contrast).toBeCloseTo(0.21, 3);
  });

  it("takes one part back and bypasses one part, leaving the others", () => {
    const full: TrimStage = { ...NEUTRAL, stops: 0.2, contrast: 1.1, detail: [0.3, 0, 0] };
    const back = without(full, "tone");
    expect([back.stops, back.contrast, back.detail]).toEqual([0.2, 1, [0.3, 0, 0]]);
    expect([isNeutral(full, "light"), isNeutral(full, "hues")]).toEqual([false, true]);
    expect(bypassed(full, "detail", true).off).toEqual(["detail"]);
    expect(bypassed(bypassed(full, "detail", true), "detail", false).off).toEqual([]);
  });
});

describe("a scale", () => {
  it("is linear to three tolerances and reaches its end at the most", () => {
    const at = (v: number) => placeOn(v, 0.05, 4);
    expect(at(0.05) - 50).toBeCloseTo(10);
    expect(at(0.15) - 50).toBeCloseTo(30);
    expect(at(4)).toBeCloseTo(96);
    expect(at(9)).toBeCloseTo(96);
    const places = [-4, -1, -0.2, 0, 0.1, 0.3, 1, 3].map(at);
    expect([...places].sort((a, b) => a - b)).toEqual(places);
  });

  it("is dragged relatively, stepped by keys, typed, and taken off", () => {
    const onSet = vi.fn();
    render(<Hand onSet={onSet} measured={OFF} />);
    const exposure = screen.getByRole("slider", { name: "Exposure of B in Pit" });
    Object.assign(exposure, { setPointerCapture: () => undefined });
    // A click moves nothing; ten pixels are five steps of 0.02 stop.
    fireEvent.pointerDown(exposure, { clientX: 100, pointerId: 1 });
    expect(onSet).not.toHaveBeenCalled();
    fireEvent.pointerMove(exposure, { clientX: 110, pointerId: 1 });
    expect(onSet.mock.lastCall?.[0].stops).toBeCloseTo(0.1);
    fireEvent.pointerUp(exposure, { pointerId: 1 });
    fireEvent.keyDown(exposure, { key: "ArrowLeft" });
    expect(onSet.mock.lastCall?.[0].stops).toBeCloseTo(0.08);
    fireEvent.keyDown(exposure, { key: "ArrowLeft", shiftKey: true });
    expect(onSet.mock.lastCall?.[0].stops).toBeCloseTo(0.075);
    fireEvent.keyDown(exposure, { key: "Enter" });
    const field = screen.getByLabelText("Trim of exposure, value");
    fireEvent.change(field, { target: { value: "-0,25" } });
    fireEvent.blur(field);
    expect(onSet.mock.lastCall?.[0].stops).toBeCloseTo(-0.25);
    fireEvent.click(screen.getByRole("button", { name: "Take off warmth" }));
    expect(onSet.mock.lastCall?.[0].warmth).toBe(12);
  });

  it("moves the trim alone where nothing can be measured", () => {
    const onSet = vi.fn();
    render(<Hand onSet={onSet} measured={null} />);
    const tint = screen.getByRole("slider", { name: "Tint of B in Pit" });
    expect(tint.getAttribute("aria-valuetext")).toBe("not measured, trim 0.0 Duv·10³");
    fireEvent.keyDown(tint, { key: "ArrowUp", ctrlKey: true });
    expect(onSet.mock.lastCall?.[0].tint).toBe(1);
    expect(screen.queryByRole("button", { name: /Take off/ })).toBeNull();
  });
});

describe("curves and hues", () => {
  it("draws the curve that the core makes: scipy's values", () => {
    const cases: { points: [number, number][]; values: [number, number][] }[] = JSON.parse(
      readFileSync("../tests/data/curves.json", "utf8"),
    );
    expect(cases.length).toBeGreaterThan(3);
    for (const { points, values } of cases)
      for (const [x, y] of values) expect(through(points, x)).toBeCloseTo(y, 5);
  });

  it("keeps points in order by keys, and takes them out", () => {
    const onChange = vi.fn();
    const points: [number, number][] = [
      [0.1, 0.1],
      [0.4, 0.4],
      [0.41, 0.6],
    ];
    render(<CurveEditor points={points} label="Curve" onChange={onChange} />);
    const plot = screen.getByRole("application");
    Object.assign(plot, {
      setPointerCapture: () => undefined,
      getBoundingClientRect: () => ({ left: 0, top: 0, width: 830, height: 830 }),
    });
    fireEvent.pointerDown(plot, { clientX: 330, clientY: 500, pointerId: 1 });
    fireEvent.pointerUp(plot, { pointerId: 1 });
    for (let i = 0; i < 3; i++) fireEvent.keyDown(plot, { key: "ArrowRight" });
    const moved = onChange.mock.lastCall?.[0][1];
    expect(moved[0]).toBeLessThanOrEqual(0.4);
    fireEvent.keyDown(plot, { key: "Delete" });
    expect(onChange.mock.lastCall?.[0]).toEqual([points[0], points[2]]);
  });

  it("holds a band within what its neighbours allow", () => {
    const turnedFar = withHue(NEUTRAL.hues, 1, { turn: 55 });
    expect(turnedFar[1]?.turn).toBe(36);
    expect(withHue(turnedFar, 2, { turn: -50 })[2]?.turn).toBe(0);
  });
});

describe("an aim", () => {
  it("moves the band's middle, and what is off is taken off to it", () => {
    const onSet = vi.fn();
    const aim = { ...NO_AIM, warmth: -12, exposure: 0.1 };
    render(<Hand onSet={onSet} measured={OFF} aim={aim} />);
    // 12 mired cooler on purpose: nothing is to be done there.
    expect(screen.queryByRole("button", { name: "Take off warmth" })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Take off exposure" }));
    expect(onSet.mock.lastCall?.[0].stops).toBeCloseTo(-0.2);
    const after = standing(OFF, NEUTRAL, takenOff(NEUTRAL, OFF, ALL, aim));
    for (const scale of ALL) expect(Math.abs(after[scale] - aim[scale])).toBeLessThan(0.02);
  });
});

describe("zoom", () => {
  it("keeps what the pointer is at, in both pictures, and stays inside", () => {
    let zoom = UNZOOMED;
    for (const by of [2, 2, 1.5]) zoom = zoomed(zoom, by, 0.25, 0.75);
    for (const side of [0, 1] as const) {
      const [x, y] = inPicture(regionOf(zoom, side), 0.25, 0.75);
      expect([x, y].map((v) => Number(v.toFixed(6)))).toEqual([0.25, 0.75]);
    }
    const far = panned(zoom, -20, 20, 1);
    expect(far.at[0]).toEqual(zoom.at[0]);
    const [left, top, width, height] = regionOf(far, 1) ?? [0, 0, 0, 0];
    expect([left + width, top].map((v) => Number(v.toFixed(6)))).toEqual([1, 0]);
    expect(width).toBeCloseTo(height);
    expect(zoomed(zoom, 1e-3, 0.5, 0.5)).toEqual(UNZOOMED);
  });

  it("lives in the address, and nonsense there is the whole picture", () => {
    const zoom = zoomed(UNZOOMED, 8, 0.3, 0.6);
    expect(regionOf(zoomFrom(zoomText(zoom)), 0)?.[0]).toBeCloseTo(regionOf(zoom, 0)?.[0] ?? 9, 4);
    for (const text of ["", "4", "a,b,c,d,e", "0.5,0,0,0,0"]) expect(zoomFrom(text)).toBe(UNZOOMED);
  });
});

describe("a reader under the hand", () => {
  it("answers the running question, and of those that wait the newest", async () => {
    const asked: string[] = [];
    const go: (() => void)[] = [];
    const reader = new Reader<string, string>((q) => {
      asked.push(q);
      return new Promise((resolve) => go.push(() => resolve(q.toUpperCase())));
    });
    for (const q of ["a", "b", "c"]) reader.ask(q);
    go[0]?.();
    await vi.waitFor(() => expect(asked).toEqual(["a", "c"]));
    expect(reader.getSnapshot().data).toBe("A");
    go[1]?.();
    await vi.waitFor(() => expect(reader.getSnapshot().data).toBe("C"));
    reader.ask("c");
    expect(asked).toHaveLength(2);
  });
});

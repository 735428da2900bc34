import { act, fireEvent, render, renderHook, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Seen } from "@/api/draft";
import { angle, clip } from "@/test/fixtures";
import { createHand, ofAngle, ofReference, whenAtRest } from "./hand";
import { Pictures } from "./Pictures";
import { PictureView } from "./pictureView";
import { asShot, seenOf } from "./seen";
import { readPlace } from "./useBenchPlace";
import { usePictureView } from "./usePictureView";

const SEEN: Seen = {
  subject: { kind: "clip", id: 3 },
  stand: "k",
  frame: 5,
  width: 960,
  overrides: { off: ["match"] },
  mark: "",
  whole: false,
};

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

describe("at rest", () => {
  it("only the last of many values is acted on, or at once when the hand is lifted", () => {
    const act = vi.fn();
    const later = whenAtRest(act, 200);
    for (const value of [1, 2, 3]) later(value);
    vi.advanceTimersByTime(199);
    expect(act).not.toHaveBeenCalled();
    vi.advanceTimersByTime(1);
    expect(act.mock.calls).toEqual([[3]]);
    later(4);
    later.now();
    later.now();
    expect(act.mock.calls).toEqual([[3], [4]]);
    later(5);
    later.cancel();
    vi.advanceTimersByTime(500);
    expect(act).toHaveBeenCalledTimes(2);
  });
});

describe("what is under the hand", () => {
  it("is put over what is looked at, and changes nothing of it", () => {
    const hand = createHand();
    expect(ofAngle(SEEN, hand.getState())).toEqual(SEEN);
    const look = { kind: "look" as const, steps: [] };
    hand.setState({ look, frames: [1, 2], dials: { stops: 1, warmth: 0, tint: 0 } });
    expect(ofReference(SEEN, hand.getState()).frame).toBe(1);
    const seen = ofAngle(SEEN, hand.getState());
    expect(seen.frame).toBe(2);
    expect(seen.overrides).toEqual({
      off: ["match"],
      look,
      dials: { stops: 1, warmth: 0, tint: 0 },
    });
    expect(SEEN.overrides).toEqual({ off: ["match"] });
  });

  it("drafts the trim of the light and what the clip adds, each as it is turned", () => {
    const hand = createHand();
    hand.setState({ trim: { stops: 0.5 }, clipTrim: { warmth: 12 } });
    const { trim, clip_trim } = ofAngle(SEEN, hand.getState()).overrides;
    expect([trim?.stops, trim?.warmth]).toEqual([0.5, 0]);
    expect([clip_trim?.stops, clip_trim?.warmth]).toEqual([0, 12]);
    // The reference has no trim of the angle.
    expect(ofReference(SEEN, hand.getState()).overrides.trim).toBeUndefined();
  });

  it("shows the picture before the trim where that is held, and nothing else left out", () => {
    const hand = createHand();
    hand.setState({ isBefore: true, trim: { stops: 0.5 } });
    expect(ofAngle(SEEN, hand.getState()).overrides).toEqual({ off: ["match", "trim"] });
  });

  it("is asked for as large as it is shown, and whole when the hand rests", () => {
    vi.stubGlobal("fetch", () => new Promise(() => undefined));
    const asked = vi.spyOn(PictureView.prototype, "ask");
    const hand = createHand();
    const { result } = renderHook(() => usePictureView(SEEN, hand, ofAngle));
    result.current.view.room = 640;
    const widths = () => asked.mock.calls.map(([seen]) => seen.width);
    expect(widths()).toEqual([960]);
    act(() => hand.setState({ frames: [null, 7] }));
    expect(widths()).toEqual([960, 640]);
    act(() => vi.advanceTimersByTime(300));
    expect(widths()).toEqual([960, 640, 960]);
    expect(asked.mock.calls.at(-1)?.[0].frame).toBe(7);
    asked.mockRestore();
  });
});

describe("a frame as the Bench looks at it", () => {
  const place = (text: string) => readPlace(new URLSearchParams(text));

  it("has the output, the marks and no colour where the address says so", () => {
    const own = { ...clip({ width: 3840 }), stand: "s" };
    const seen = seenOf(place("output=hdr&mono=on&mark=unseen&hdr=whole"), own, 4, asShot);
    expect(seen).toEqual({
      subject: { kind: "clip", id: own.id },
      stand: "s",
      frame: 4,
      width: 1280,
      overrides: { off: ["match", "trim"], output: "hdr", grey: true },
      mark: "unseen",
      whole: true,
    });
    expect(seenOf(place(""), own, 0, {})?.overrides).toEqual({});
    expect(seenOf(place(""), undefined, 0, {})).toBeNull();
  });
});

function bench(search: string) {
  const hand = createHand();
  const onPlace = vi.fn();
  const both = angle();
  const clips = [both.reference.clips[0], both.angle.clips[0]].map(
    (c) =>
      c && { ...c, frame_count: 24, timecode: "10:00:00:00", start_frame: 864000, rate: "24/1" },
  );
  const views = [new PictureView(), new PictureView()].map((view) => ({ view, label: LABEL }));
  render(
    <MemoryRouter>
      <Pictures
        angle={both}
        clips={clips as never}
        frames={[0, 0]}
        views={views as never}
        hand={hand}
        place={readPlace(new URLSearchParams(search))}
        held={false}
        drawing={false}
        onPick={vi.fn()}
        onPoint={vi.fn()}
        onPlace={onPlace}
      />
    </MemoryRouter>,
  );
  return { hand, onPlace };
}

const LABEL = {
  clip: "B001",
  matched: true,
  unseen: null,
  outside: null,
  clipped: null,
  display: "rec709",
  white: null,
};

describe("frames and wipe", () => {
  it("follow the hand at once and reach the address when it is lifted", () => {
    const { hand, onPlace } = bench("");
    fireEvent.change(screen.getByLabelText("Reference frame"), { target: { value: "9" } });
    // Cameras whose clocks agree are looked at in the same moment.
    expect(hand.getState().frames).toEqual([9, 9]);
    expect((screen.getByLabelText("Angle frame") as HTMLInputElement).value).toBe("9");
    expect(onPlace).not.toHaveBeenCalled();
    fireEvent.pointerUp(window);
    expect(onPlace.mock.calls).toEqual([[{ r: 9, f: 9 }]]);
  });

  it("move the border by keys, finely with Shift, within the picture", () => {
    const { hand, onPlace } = bench("compare=upright&at=1");
    const wipe = screen.getByRole("slider", { name: "Wipe" });
    fireEvent.keyDown(wipe, { key: "ArrowLeft" });
    expect(hand.getState().at).toBe(0);
    fireEvent.keyDown(wipe, { key: "ArrowRight" });
    fireEvent.keyDown(wipe, { key: "ArrowRight", shiftKey: true });
    expect(wipe.getAttribute("aria-valuenow")).toBe("2.2");
    expect(wipe.style.left).toBe("2.2%");
    act(() => vi.advanceTimersByTime(250));
    expect(onPlace.mock.calls).toEqual([[{ at: 2.2 }]]);
    fireEvent.doubleClick(wipe);
    expect(hand.getState().at).toBe(50);
  });
});

import { describe, expect, it } from "vitest";
import { matches } from "./EncodingPicker";
import { renderingOf, restage, type Stage } from "./Outputs";

const SDR = { contrast: 1.05, grey: 0.117, start: 0, stops_to_white: 6, black: 0 };
const HDR = { ...SDR, grey: 0.26 };
const OURS: Stage = {
  kind: "output",
  display: "rec709",
  tone: { ...SDR, contrast: 1.3 },
  compression: 0.4,
};

describe("an output", () => {
  it("keeps its own tone scale on its display, and takes the display's on another", () => {
    expect(restage(OURS, "tone", "rec709", SDR)).toEqual(OURS);
    expect(restage(OURS, "tone", "rec2100-pq-1000", HDR)).toMatchObject({ tone: HDR });
    expect(restage(OURS, "plain", "rec709", SDR)).toMatchObject({ tone: null, compression: 0.4 });
  });

  it("goes to ACES and back, its gamut compression kept", () => {
    const aces = restage(OURS, "1.3", "rec709", SDR);
    expect(aces).toEqual({
      kind: "output-aces",
      display: "rec709",
      version: "1.3",
      compression: 0.4,
    });
    expect(renderingOf(aces)).toBe("1.3");
    expect(renderingOf(restage(aces, "tone", "rec709", SDR))).toBe("tone");
  });
});

describe("the search of encodings", () => {
  it("takes any part of the name, words in any order", () => {
    expect(matches("gamut3 log3", "S-Log3 / S-Gamut3.Cine", "s-log3/s-gamut3.cine")).toBe(true);
    expect(matches("EI 800", "LogC3 EI 800 / Wide Gamut 3", "logc3-ei800/awg3")).toBe(true);
    expect(matches("awg4", "LogC3 EI 800 / Wide Gamut 3", "logc3-ei800/awg3")).toBe(false);
    expect(matches("", "anything", "x")).toBe(true);
  });
});

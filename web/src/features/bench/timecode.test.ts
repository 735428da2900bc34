import { describe, expect, it } from "vitest";
import { atSameTime } from "./timecode";

const clip = (timecode: string, rate = "24", frame_count = 48) => ({ timecode, rate, frame_count });

describe("frames at one moment", () => {
  it.each([
    [clip("10:00:00:00"), 5, clip("10:00:00:00"), 5],
    [clip("10:00:01:00"), 0, clip("10:00:00:00"), 24],
    [clip("10:00:00:00"), 3, clip("10:00:00:12"), null], // before its begin
    [clip("10:00:02:00"), 0, clip("10:00:00:00"), null], // after its end
    [clip(""), 3, clip("10:00:00:00"), null],
    [clip("10:00:00:00", "25"), 3, clip("10:00:00:00"), null],
    // SMPTE ST 12-1: at 30000/1001 the minute begins with frame 2.
    [clip("00:00:59;29", "30000/1001"), 1, clip("00:01:00;02", "30000/1001"), 0],
  ])("%o frame %i is in %o frame %s", (one, frame, other, there) => {
    expect(atSameTime(one, frame, other)).toBe(there);
  });
});

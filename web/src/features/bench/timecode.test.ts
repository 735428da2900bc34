import { describe, expect, it } from "vitest";
import { atSameTime } from "./timecode";

const clip = (start_frame: number | null, rate = "24") => ({ start_frame, rate, frame_count: 48 });

describe("frames at one moment", () => {
  it.each([
    [clip(864000), 5, clip(864000), 5],
    [clip(864024), 0, clip(864000), 24],
    [clip(864000), 3, clip(864012), null], // before its begin
    [clip(864048), 0, clip(864000), null], // after its end
    [clip(null), 3, clip(864000), null],
    [clip(864000, "25"), 3, clip(864000), null],
  ])("%o frame %i is in %o frame %s", (one, frame, other, there) => {
    expect(atSameTime(one, frame, other)).toBe(there);
  });
});

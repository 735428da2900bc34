import { expect, it } from "vitest";
import { columnRange, placeOf } from "./drawScopes";

it("spans a column's counts without the outer hundredth", () => {
  const counts = new Uint16Array(20);
  counts.set([1, 0, 60, 80, 60, 0, 1], 10);
  expect(columnRange(counts, 10, 10)).toEqual([2, 4]);
});

it("says nothing about an empty column", () => {
  expect(columnRange(new Uint16Array(8), 0, 8)).toBeNull();
});

it("places the bars of 75 % where BT.709 has them, and BT.2020 elsewhere", () => {
  const near = (got: [number, number], want: [number, number]) => {
    expect(got[0]).toBeCloseTo(want[0], 1);
    expect(got[1]).toBeCloseTo(want[1], 3);
  };
  // ITU-R BT.709-6, item 3, worked by hand.
  near(placeOf([0.75, 0, 0]), [102.91, 0.3847]);
  near(placeOf([0, 0.75, 0.75]), [282.91, 0.3847]);
  const [degrees] = placeOf([0.75, 0, 0], [0.2627, 0.0593]);
  expect(degrees).toBeGreaterThan(104);
});

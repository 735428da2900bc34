import { expect, it } from "vitest";
import { columnRange } from "./drawScopes";

it("spans a column's counts without the outer hundredth", () => {
  const counts = new Uint16Array(20);
  counts.set([1, 0, 60, 80, 60, 0, 1], 10);
  expect(columnRange(counts, 10, 10)).toEqual([2, 4]);
});

it("says nothing about an empty column", () => {
  expect(columnRange(new Uint16Array(8), 0, 8)).toBeNull();
});

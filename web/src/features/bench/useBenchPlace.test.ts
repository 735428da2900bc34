import { expect, it } from "vitest";
import { readPlace } from "./useBenchPlace";

it("brings the state back from an address", () => {
  const place = readPlace(new URLSearchParams("compare=level&at=31.5&match=off&r=2&f=3"));
  expect(place).toMatchObject({
    compare: "level",
    at: 31.5,
    match: false,
    scopes: true,
    frames: [2, 3],
  });
});

it("falls back where an address makes no sense", () => {
  const place = readPlace(new URLSearchParams("compare=sideways&at=1e9&r=x&f=-4&surround=red"));
  expect(place).toMatchObject({
    compare: "side",
    at: 100,
    frames: [0, 0],
    surround: "dim",
    match: true,
  });
});

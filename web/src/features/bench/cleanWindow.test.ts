import { renderHook, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Seen } from "@/api/draft";
import { useShownOnBench, useTellCleanWindow } from "./cleanWindow";
import { createHand } from "./hand";

const seen = (frame: number): Seen => ({
  subject: { kind: "clip", id: 7 },
  stand: "k",
  frame,
  width: 960,
  overrides: {},
  mark: "",
  whole: false,
});

it("follows what the Bench shows and what is under its hand, until the Bench is left", async () => {
  const hand = createHand();
  const bench = renderHook(({ frame }) => useTellCleanWindow(1, 2, seen(frame), hand), {
    initialProps: { frame: 3 },
  });
  const { result } = renderHook(() => useShownOnBench(1, 2));
  const other = renderHook(() => useShownOnBench(1, 9));
  await waitFor(() => expect(result.current?.frame).toBe(3));
  bench.rerender({ frame: 4 });
  await waitFor(() => expect(result.current?.frame).toBe(4));
  hand.setState({ dials: { stops: 0.5, warmth: 0, tint: 0 } });
  await waitFor(() => expect(result.current?.overrides.dials?.stops).toBe(0.5));
  bench.unmount();
  await waitFor(() => expect(result.current).toBeNull());
  expect(other.result.current).toBeNull();
});

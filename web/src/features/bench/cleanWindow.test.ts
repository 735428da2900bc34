import { renderHook, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import { type Shown, useShownOnBench, useTellCleanWindow } from "./cleanWindow";

const shown = (frame: number): Shown => ({ clip: 7, frame, chain: { stages: [] }, dials: null });

it("follows what the Bench shows, also when it opens later, until the Bench is left", async () => {
  const bench = renderHook(({ frame }) => useTellCleanWindow(1, 2, shown(frame)), {
    initialProps: { frame: 3 },
  });
  const { result } = renderHook(() => useShownOnBench(1, 2));
  const other = renderHook(() => useShownOnBench(1, 9));
  await waitFor(() => expect(result.current?.frame).toBe(3));
  bench.rerender({ frame: 4 });
  await waitFor(() => expect(result.current?.frame).toBe(4));
  bench.unmount();
  await waitFor(() => expect(result.current).toBeNull());
  expect(other.result.current).toBeNull();
});

import { act, renderHook } from "@testing-library/react";
import { expect, it } from "vitest";
import { useAhead } from "./useAhead";

it("goes on from what was said last, until the value has followed", () => {
  const { result, rerender } = renderHook(({ value }) => useAhead(value), {
    initialProps: { value: 0 },
  });
  act(() => result.current[1](result.current[0] + 1));
  act(() => result.current[1](result.current[0] + 1));
  expect(result.current[0]).toBe(2);
  // On its way the value passes what was said before.
  rerender({ value: 1 });
  expect(result.current[0]).toBe(2);
  rerender({ value: 2 });
  rerender({ value: 7 });
  expect(result.current[0]).toBe(7);
  // Saying what it is already holds nothing back.
  act(() => result.current[1](7));
  rerender({ value: 3 });
  expect(result.current[0]).toBe(3);
});

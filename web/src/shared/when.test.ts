import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { when } from "./when";

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

it("writes times in 24 hours, and other days' dates as ISO", () => {
  vi.setSystemTime(new Date(2026, 10, 29, 18, 0));
  expect(when(new Date(2026, 10, 29, 7, 5).toISOString())).toBe("07:05");
  expect(when(new Date(2026, 10, 29, 17, 30).toISOString())).toBe("17:30");
  expect(when(new Date(2026, 10, 28, 23, 59).toISOString())).toBe("2026-11-28 23:59");
});

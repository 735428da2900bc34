import { useEffect, useState } from "react";

/**
 * A value that lives elsewhere (in the address) and follows a moment later: what was said last
 * counts until it does, so that a key that repeats goes on from there.
 */
export function useAhead(value: number): [number, (next: number) => void] {
  const [said, setSaid] = useState<number | null>(null);
  useEffect(() => setSaid((last) => (last === value ? null : last)), [value]);
  return [said ?? value, (next) => setSaid(next === value ? null : next)];
}

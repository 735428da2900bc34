import { useState } from "react";

/** State that comes back when a view is opened again, in this window, for as long as it is open. */
export function useKept<T>(name: string, usual: T): [T, (value: T) => void] {
  const [value, setValue] = useState<T>(() => {
    const kept = sessionStorage.getItem(name);
    return kept === null ? usual : JSON.parse(kept);
  });
  return [
    value,
    (next) => {
      sessionStorage.setItem(name, JSON.stringify(next));
      setValue(next);
    },
  ];
}

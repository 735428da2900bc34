import { useEffect, useRef } from "react";

/** By the key's name in lower case: "w", "arrowleft", "enter". */
export type KeyMap = Record<string, (event: KeyboardEvent) => void>;

function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLInputElement)
    return !["range", "checkbox", "radio"].includes(target.type);
  return ["TEXTAREA", "SELECT"].includes(target.tagName) || target.isContentEditable;
}

/** Listen for single keys while a view is shown; typing in a field is left alone. */
export function useKeys(down: KeyMap, up: KeyMap = {}): void {
  const maps = useRef({ down, up });
  maps.current = { down, up };
  useEffect(() => {
    const handle = (which: "down" | "up") => (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
      if (document.querySelector("dialog[open]")) return;
      const action = maps.current[which][event.key.toLowerCase()];
      if (!action || (which === "down" && event.repeat)) return;
      event.preventDefault();
      action(event);
    };
    const onDown = handle("down");
    const onUp = handle("up");
    window.addEventListener("keydown", onDown);
    window.addEventListener("keyup", onUp);
    return () => {
      window.removeEventListener("keydown", onDown);
      window.removeEventListener("keyup", onUp);
    };
  }, []);
}

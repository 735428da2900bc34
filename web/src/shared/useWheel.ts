import { type RefObject, useEffect, useRef } from "react";

/**
 * Listen for the wheel over an element and keep the page still. React listens to wheels passively:
 * it could not do that.
 */
export function useWheel(
  box: RefObject<HTMLElement | null>,
  act: (event: WheelEvent) => void,
  disabled = false,
): void {
  const latest = useRef(act);
  latest.current = act;
  useEffect(() => {
    const node = box.current;
    if (!node || disabled) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      latest.current(event);
    };
    node.addEventListener("wheel", wheel, { passive: false });
    return () => node.removeEventListener("wheel", wheel);
  }, [box, disabled]);
}

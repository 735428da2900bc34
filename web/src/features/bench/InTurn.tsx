import { useEffect, useState } from "react";
import { useKeys } from "@/shared/useKeys";

const TURN = 500; // milliseconds that each picture is shown in turn

/** One picture in the other's place, twice a second, or by the key. */
export function InTurn({
  held,
  children,
}: {
  held: boolean;
  children: (side: 0 | 1) => React.ReactNode;
}) {
  const [side, setSide] = useState<0 | 1>(1);
  const [byItself, setByItself] = useState(true);
  useEffect(() => {
    if (!byItself) return;
    const timer = setInterval(() => setSide((now) => (now ? 0 : 1)), TURN);
    return () => clearInterval(timer);
  }, [byItself]);
  useKeys({
    i: () => {
      setByItself(false);
      setSide((now) => (now ? 0 : 1));
    },
  });
  return (
    <>
      {children(held ? 0 : side)}
      <label className="absolute right-2 bottom-2 flex items-center gap-1.5 rounded bg-base-200/85 px-2 py-1">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={byItself}
          onChange={(event) => setByItself(event.target.checked)}
        />
        twice a second (I: by hand)
      </label>
    </>
  );
}

import { useState } from "react";
import { CurveEditor } from "../CurveEditor";
import type { Full } from "../trimParts";
import type { PartProps } from "./part";

const CURVES = ["lum.", "R", "G", "B"] as const;

export function Curves({ now, set }: PartProps) {
  const [which, setWhich] = useState<(typeof CURVES)[number]>("lum.");
  const i = CURVES.indexOf(which) - 1;
  const points = (i < 0 ? now.curve : now.curves_rgb[i]) as [number, number][];
  return (
    <div className="flex gap-3">
      <div className="flex flex-col gap-1">
        {CURVES.map((name, k) => {
          const isSet = (k === 0 ? now.curve : (now.curves_rgb[k - 1] ?? [])).length > 0;
          return (
            <button
              key={name}
              type="button"
              aria-pressed={which === name}
              className={`btn btn-xs ${which === name ? "btn-primary" : ""}`}
              onClick={() => setWhich(name)}
            >
              {name}
              {isSet && " •"}
            </button>
          );
        })}
      </div>
      <CurveEditor
        key={which}
        label={
          which === "lum." ? "Curve of luminance, channels keep their ratio" : `Curve of ${which}`
        }
        points={points}
        onChange={(next) =>
          set(
            i < 0
              ? { curve: next }
              : {
                  curves_rgb: now.curves_rgb.map((c, k) =>
                    k === i ? next : c,
                  ) as Full["curves_rgb"],
                },
          )
        }
      />
    </div>
  );
}

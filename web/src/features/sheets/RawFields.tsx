import { useState } from "react";
import type { Camera } from "@/api/client";

export const AS_SHOT: Camera["raw"] = {
  white: "as-shot",
  kelvin: 5600,
  tint: 0,
  stops: 0,
  exposure_index: null,
  highlights: "clip",
};

/** How this camera's raw is developed; clips may differ. */
export function RawFields({
  value,
  onChange,
}: {
  value: Camera["raw"];
  onChange: (raw: Camera["raw"]) => void;
}) {
  const set = (changes: Partial<Camera["raw"]>) => onChange({ ...value, ...changes });
  // Only at first: it must not fold under the hand that sets something back.
  const [open] = useState(JSON.stringify(value) !== JSON.stringify(AS_SHOT));
  return (
    <details className="mb-3" open={open}>
      <summary className="cursor-pointer font-semibold">Raw development</summary>
      <div className="mt-1 grid grid-cols-2 gap-2">
        <label>
          <span className="faint block text-2xs">White</span>
          <select
            className="select select-xs w-full"
            value={value.white}
            onChange={(e) => set({ white: e.target.value as Camera["raw"]["white"] })}
          >
            <option value="as-shot">as shot</option>
            <option value="set">by kelvin and tint</option>
          </select>
        </label>
        <label>
          <span className="faint block text-2xs">Highlights</span>
          <select
            className="select select-xs w-full"
            value={value.highlights}
            onChange={(e) => set({ highlights: e.target.value as Camera["raw"]["highlights"] })}
          >
            <option value="clip">clip</option>
            <option value="blend">blend</option>
            <option value="rebuild">rebuild</option>
          </select>
        </label>
        {value.white === "set" && (
          <>
            <NumberField
              label="Kelvin"
              value={value.kelvin}
              low={1700}
              high={25000}
              step={50}
              onChange={(kelvin) => set({ kelvin })}
            />
            <NumberField
              label="Tint, Duv × 1000"
              value={value.tint}
              low={-50}
              high={50}
              step={0.5}
              onChange={(tint) => set({ tint })}
            />
          </>
        )}
        <NumberField
          label="Exposure, stops"
          value={value.stops}
          low={-8}
          high={8}
          step={0.05}
          onChange={(stops) => set({ stops })}
        />
        <NumberField
          label="Exposure index, empty: as shot"
          value={value.exposure_index ?? null}
          low={25}
          high={102400}
          step={1}
          onChange={(exposure_index) => set({ exposure_index: exposure_index || null })}
        />
      </div>
      <p className="faint mt-1 text-2xs">
        Developed by the file's own matrices, into the encoding above.
      </p>
    </details>
  );
}

function NumberField({
  label,
  value,
  low,
  high,
  step,
  onChange,
}: {
  label: string;
  value: number | null;
  low: number;
  high: number;
  step: number;
  onChange: (value: number) => void;
}) {
  return (
    <label>
      <span className="faint block text-2xs">{label}</span>
      <input
        type="number"
        className="input input-xs w-full"
        value={value ?? ""}
        min={low}
        max={high}
        step={step}
        onChange={(e) => onChange(Number(e.target.value))}
      />
    </label>
  );
}

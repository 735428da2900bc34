import { type ReactNode, useRef } from "react";
import type { Angle } from "@/api/client";
import { canSteady, type FitChoice } from "@/shared/fitChoice";

/** What the fit brings the angle to. */
export function Target({
  angle,
  choice,
  onChoice,
}: {
  angle: Angle;
  choice: FitChoice;
  onChoice: (choice: FitChoice) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const layout = angle.angle.reading?.layout;
  const kind = choice.values === "" ? "own" : choice.values === "published" ? "published" : "table";
  return (
    <>
      <label className="flex items-center gap-1.5">
        <span className="faint whitespace-nowrap">Match to</span>
        <select
          className="select select-sm w-36"
          value={kind}
          onChange={(event) => {
            const wanted = event.target.value;
            if (wanted === "table") file.current?.click();
            else
              onChoice({
                ...choice,
                values: wanted === "published" ? "published" : "",
                valuesName: "",
              });
          }}
        >
          <option value="own">{angle.reference.letter}'s own reading</option>
          <option value="published" disabled={!layout?.has_values}>
            its published values
          </option>
          <option value="table">
            {kind === "table" ? choice.valuesName : "a table, CSV or CGATS …"}
          </option>
        </select>
      </label>
      <input
        ref={file}
        type="file"
        accept=".csv,.txt,.cgats,.ti3"
        className="hidden"
        aria-label="Table of patch values"
        onChange={async (event) => {
          const chosen = event.target.files?.[0];
          if (chosen) onChoice({ ...choice, values: await chosen.text(), valuesName: chosen.name });
        }}
      />
    </>
  );
}

/** What else takes part in the fit: charts in other lights, and areas. */
export function Beside({
  angle,
  choice,
  onChoice,
}: {
  angle: Angle;
  choice: FitChoice;
  onChoice: (choice: FitChoice) => void;
}) {
  const canPool = angle.other_lights > 0 && choice.values === "";
  const steadies = canSteady(angle) && choice.values === "";
  if (!canPool && !steadies && !choice.areas.length) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      {canPool && (
        <TakesPart
          title="What this pair of cameras showed in other lights steadies the colour here: one bad chart does not ruin a day."
          checked={choice.pool}
          onChange={(pool) => onChoice({ ...choice, pool })}
        >
          with{" "}
          {angle.other_lights === 1 ? "another light's" : `${angle.other_lights} other lights'`}{" "}
          charts
        </TakesPart>
      )}
      {steadies && (
        <TakesPart
          title="Colours that both scenes show in this light take part beside the patches: what is in the pictures is matched nearer"
          checked={choice.withScene}
          onChange={(withScene) => onChoice({ ...choice, withScene })}
        >
          with the scene's colours
          {angle.match?.steadied && (
            <span className="faint">
              {angle.match.steadied.count}, {angle.match.steadied.aside} set aside, ΔE{" "}
              {angle.match.steadied.left_out.toFixed(2)} cross-validated
            </span>
          )}
        </TakesPart>
      )}
      <Areas angle={angle} choice={choice} onChoice={onChoice} />
    </div>
  );
}

function TakesPart({
  title,
  checked,
  onChange,
  children,
}: {
  title: string;
  checked: boolean;
  onChange: (checked: boolean) => void;
  children: ReactNode;
}) {
  return (
    <label className="flex cursor-pointer items-center gap-1.5" title={title}>
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        checked={checked}
        onChange={(e) => onChange(e.target.checked)}
      />
      {children}
    </label>
  );
}

function Areas({
  angle,
  choice,
  onChoice,
}: {
  angle: Angle;
  choice: FitChoice;
  onChoice: (choice: FitChoice) => void;
}) {
  if (!choice.areas.length) return null;
  return (
    <ul aria-label="Areas both cameras saw" className="flex flex-wrap gap-x-3">
      {choice.areas.map((pair, i) => {
        const isWhole = pair.reference && pair.angle;
        const set = (areas: FitChoice["areas"]) => onChoice({ ...choice, areas });
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: areas are known by their number
          <li key={i} className="flex items-center gap-1">
            <span>
              area {i + 1}
              {angle.match?.areas.length === choice.areas.length &&
                angle.match.area_misses[i] !== undefined && (
                  <span
                    className="value faint"
                    title="ΔE 2000 that it misses when predicted from the chart"
                  >
                    {" "}
                    {angle.match.area_misses[i].toFixed(1)}
                  </span>
                )}
              {!isWhole && (
                <span className="faint">
                  {" "}
                  needs {pair.reference ? "the angle" : "the reference"}
                </span>
              )}
            </span>
            {isWhole && (
              <button
                type="button"
                className="btn btn-xs"
                title="How much it counts"
                onClick={() =>
                  set(
                    choice.areas.map((p, k) =>
                      k === i ? { ...p, weight: p.weight === 1 ? 4 : 1 } : p,
                    ),
                  )
                }
              >
                ×{pair.weight}
              </button>
            )}
            <button
              type="button"
              className="btn btn-xs"
              aria-label={`Remove area ${i + 1}`}
              onClick={() => set(choice.areas.filter((_, k) => k !== i))}
            >
              −
            </button>
          </li>
        );
      })}
    </ul>
  );
}

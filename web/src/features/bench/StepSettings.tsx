import type { LookLut } from "@/api/client";
import { Dial } from "@/shared/Dial";
import { CdlDials, PLAIN_CDL } from "./CdlDials";
import { LOG, misfitOf, type Step } from "./lookSteps";

/** One step's settings: what it works on, and its dials or what is known of its LUT. */
export function StepSettings({
  step,
  reference,
  lut,
  clipped,
  response,
  onChange,
  onDisplay,
}: {
  step: Step;
  reference: { letter: string; encoding: string; levels: string };
  lut: LookLut | undefined;
  /** Share of the angle's picture that its LUT clips. */
  clipped: number | null;
  /** What its LUT makes of middle grey and of a stop. */
  response: readonly [number, number] | null;
  onChange: (changes: Partial<Step>) => void;
  /** The display that its LUT gives values of, or none. */
  onDisplay: (to: string | null) => void;
}) {
  const places: [string, string, string][] = [
    [LOG, "full", "in the working log (ACEScct)"],
    [reference.encoding, reference.levels, `in ${reference.letter}'s code values`],
    ["rec709", "full", "in display values (Rec.709)"],
  ];
  const misfit = step.kind === "lut" ? misfitOf(response, Boolean(step.to)) : "";
  return (
    <div className="flex flex-col gap-1.5">
      <select
        className="select select-xs w-full"
        aria-label="What the step works on"
        value={`${step.encoding} ${step.levels}`}
        onChange={(e) => {
          const place = places.find(([s, l]) => `${s} ${l}` === e.target.value);
          if (place) onChange({ encoding: place[0], levels: place[1] });
        }}
      >
        {places.map(([slug, levels, text]) => (
          <option key={slug} value={`${slug} ${levels}`}>
            {text}
          </option>
        ))}
      </select>
      {step.kind === "lut" && (
        <>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={Boolean(step.to)}
              onChange={(e) => onDisplay(e.target.checked ? "rec709" : null)}
            />
            it gives display values (Rec.709): it is the output
          </label>
          <p className="faint text-2xs">
            {!lut
              ? "Its file is not here."
              : lut.kind === "CLF"
                ? "CLF, run node by node."
                : `${lut.kind}, ${lut.size} points.`}
            {lut &&
              lut.clips_high > 0.01 &&
              ` It clips the uppermost ${(lut.clips_high * 100).toFixed(0)} % of its input: nothing after it brings that back.`}
            {lut &&
              lut.clips_low > 0.01 &&
              ` It crushes the lowest ${(lut.clips_low * 100).toFixed(0)} %.`}
            {clipped !== null &&
              lut &&
              lut.clips_high + lut.clips_low > 0.01 &&
              ` In this picture: ${(clipped * 100).toFixed(1)} % of the pixels.`}
          </p>
          {misfit && (
            <p className="text-2xs" role="status">
              {misfit}
            </p>
          )}
        </>
      )}
      {step.kind === "cdl" && (
        <>
          <CdlDials cdl={step.cdl} onChange={(cdl) => onChange({ cdl: cdl ?? PLAIN_CDL })} />
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={step.cdl.clamp ?? false}
              onChange={(e) => onChange({ cdl: { ...step.cdl, clamp: e.target.checked } })}
            />
            clamped to 0–1, as the standard has it
          </label>
        </>
      )}
      {!(step.kind === "lut" && step.to) && (
        <Dial
          label="Mix"
          compact
          value={step.mix * 100}
          low={0}
          high={100}
          step={1}
          neutral={100}
          digits={0}
          unit="%"
          onChange={(v) => onChange({ mix: v / 100 })}
        />
      )}
    </div>
  );
}

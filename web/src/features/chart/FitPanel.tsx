import { useState } from "react";
import type { Angle, Match } from "@/api/client";
import { decided } from "@/api/decided";
import { Problem } from "@/shared/Feedback";
import { type FitChoice, skinsOf, wordOf } from "@/shared/fitChoice";
import { signed } from "@/shared/Tuner";
import { CameraMenu } from "./CameraMenu";
import { EncodingCheck } from "./EncodingCheck";
import { GreyRamp } from "./GreyRamp";
import { Neighbours } from "./Neighbours";
import { ReferencePanel } from "./ReferencePanel";
import { Alike, Doubt } from "./Repairs";
import { Residuals } from "./Residuals";
import { ShootingSheet } from "./ShootingSheet";
import { Beside } from "./Target";
import { WouldChange } from "./WouldChange";

/** What the readings say, the fit, and what is left after it. */
export function FitPanel({
  angle,
  busy,
  error,
  canFit,
  choice,
  onChoice,
  onFit,
}: {
  angle: Angle;
  busy: boolean;
  error: unknown;
  canFit: boolean;
  choice: FitChoice;
  onChoice: (choice: FitChoice) => void;
  onFit: () => void;
}) {
  const { match } = angle;
  const [isAsking, setAsking] = useState(false);
  const isReference = angle.angle.camera_id === angle.reference.camera_id;
  const { leaveOut, marked } = choice;
  const flipped = (list: number[], index: number) =>
    list.includes(index) ? list.filter((i) => i !== index) : [...list, index];
  const skins = skinsOf(angle);
  const borrowed = match?.borrowed ?? null;
  if (isReference) return <ReferencePanel angle={angle} />;
  return (
    <section
      className="flex min-w-0 flex-1 flex-col gap-2 overflow-y-auto px-4 py-2.5"
      aria-label="Fit"
    >
      <div className="flex items-start gap-3 border-l-2 border-base-content bg-base-100 px-3 py-2">
        <Verdict angle={angle} />
        <div className="ml-auto flex shrink-0 flex-col items-end gap-1.5">
          <button
            type="button"
            className="btn btn-sm btn-primary"
            disabled={!canFit || busy}
            title={canFit ? "(M)" : nextStep(angle)}
            onClick={onFit}
          >
            {busy ? "Fitting …" : match ? "Fit again" : "Fit"}
          </button>
          <span className="faint text-2xs">
            with {wordOf(angle, choice.model)}
            {choice.skins && skins.length > 0 && ", skins first"}
            {choice.pool && ", other lights"}
            {choice.withScene && ", the scene"}
          </span>
          {match && !borrowed && canFit && (
            <button type="button" className="btn btn-xs" onClick={() => setAsking(true)}>
              What would change
            </button>
          )}
        </div>
      </div>
      {isAsking && (
        <WouldChange angle={angle} choice={choice} onFit={onFit} onClose={() => setAsking(false)} />
      )}
      {error ? <Problem error={error} /> : null}
      {match?.warnings.map((text) => (
        <p key={text} className="border-l-2 border-dashed border-base-content pl-3">
          {text}
        </p>
      ))}
      {angle.angle.reading && <Beside angle={angle} choice={choice} onChoice={onChoice} />}
      {match && !borrowed ? (
        <>
          <Steps angle={angle} choice={choice} onChoice={onChoice} />
          <Residuals
            residuals={match.residuals}
            reference={swatchesOf(angle.reference, match)}
            own={swatchesOf(angle.angle, match)}
            tolerance={angle.tolerance}
            leaveOut={leaveOut}
            marked={marked}
            skins={skins}
            onToggle={(i) => onChoice({ ...choice, leaveOut: flipped(leaveOut, i) })}
            onMark={(i) => onChoice({ ...choice, marked: flipped(marked, i) })}
          >
            {skins.length > 0 && (
              <label className="flex cursor-pointer items-center gap-1.5">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={choice.skins}
                  onChange={(e) => onChoice({ ...choice, skins: e.target.checked })}
                />
                skins count four times
              </label>
            )}
          </Residuals>
          <div className="flex gap-4">
            <Ramp angle={angle} />
            <div className="min-w-0 flex-1">
              <InCamera angle={angle} />
              <Models match={match} choice={choice} onChoice={onChoice} />
            </div>
          </div>
        </>
      ) : (
        <Unmatched angle={angle} />
      )}
      {(borrowed || !match) && !(angle.reference.reading && angle.angle.reading) && (
        <Neighbours angle={angle} />
      )}
    </section>
  );
}

/** How a side's patches look; none where its newest reading is of another chart than the match. */
function swatchesOf(side: Angle["angle"], match: Match): string[] {
  const seen = side.reading?.swatches ?? [];
  return seen.length === match.residuals.length ? seen : [];
}

function Verdict({ angle }: { angle: Angle }) {
  const { match } = angle;
  if (!match)
    return (
      <div>
        <p className="text-base font-semibold">
          {angle.angle.letter} is not matched to {angle.reference.letter} in this light.
        </p>
        <p className="faint">{nextStep(angle)}</p>
      </div>
    );
  if (match.borrowed)
    return (
      <div>
        <p className="text-base font-semibold">
          Borrowed from {match.borrowed.source}
          {match.expected === null
            ? ", and tried nowhere."
            : `: about ${match.expected.toFixed(1)} on other lights' charts.`}
        </p>
        <p className="faint">
          {angle.state === "stale"
            ? "There are charts in this light now: fit to them."
            : `Nothing is measured in ${angle.light_name}: ${match.borrowed.why}.`}
        </p>
      </div>
    );
  const value = match.expected ?? match.left_one_out;
  const head =
    angle.state === "stale"
      ? "Fit again: a reading or the camera's encoding is newer than this match."
      : `${match.verdict}: ΔE ${value.toFixed(2)} for colours off the chart${
          match.expected_low && match.expected_high
            ? `, ${match.expected_low.toFixed(1)} to ${match.expected_high.toFixed(1)}`
            : ""
        }.`;
  const out = match.residuals.filter((r) => r.left_out);
  const faces = match.residuals.filter((r) => skinsOf(angle).includes(r.index) && !r.left_out);
  const skins = faces.reduce((sum, r) => sum + r.after, 0) / Math.max(1, faces.length);
  // Where the encoding is doubtful, advice on the chart would lead astray.
  const best = angle.doubt ? undefined : match.advice[0];
  return (
    <div>
      {angle.doubt && <Doubt angle={angle} doubt={angle.doubt} />}
      {angle.next_step === "take_alike" && <Alike angle={angle} />}
      <p
        className={angle.doubt || angle.next_step === "take_alike" ? "" : "text-base font-semibold"}
      >
        {head}
        {match.lowered_by.length > 0 && angle.state !== "stale" && (
          <span> {sentence(match.lowered_by.join(", "))}</span>
        )}
      </p>
      <p>
        <span className="faint">ΔE</span> {match.left_one_out.toFixed(2)}{" "}
        <span className="faint">cross-validated ·</span> {match.after.toFixed(2)}{" "}
        <span className="faint">on the chart ·</span> {match.white_only.toFixed(1)}{" "}
        <span className="faint">by white and exposure alone</span>
        {match.target && (
          <>
            {" "}
            <span className="faint">· to</span> {match.target}
          </>
        )}
      </p>
      {match.expected_kinds && <Kinds kinds={match.expected_kinds} />}
      <p className="faint mt-0.5">
        {match.limit}{" "}
        {best && (
          <span className="text-base-content">
            {best.text} (−{best.gain.toFixed(2)} ΔE){" "}
          </span>
        )}
        {skins > angle.tolerance && `Skins stay ΔE ${skins.toFixed(1)}: look at faces. `}
        {out.length > 0 &&
          match.lowered_by.length === 0 &&
          `${out.length} ${out.length === 1 ? "patch is" : "patches are"} left out.`}
      </p>
    </div>
  );
}

/** The stated error by kind of colour, in the order that people look. */
function Kinds({ kinds }: { kinds: NonNullable<Match["expected_kinds"]> }) {
  return (
    <p>
      <span className="faint">ΔE expected of</span>{" "}
      {(["greys", "skins", "foliage", "saturated", "other"] as const).map((kind) => (
        <span
          key={kind}
          className="mr-2 whitespace-nowrap"
          title={`${kinds[kind].low.toFixed(1)} to ${kinds[kind].high.toFixed(1)} nine times in ten`}
        >
          <span className="faint">{kind}</span> {kinds[kind].mean.toFixed(1)}
        </span>
      ))}
    </p>
  );
}

const sentence = (text: string) => `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;

/** What every model would give, and which one the next fit takes. */
function Models({
  match,
  choice,
  onChoice,
}: {
  match: Match;
  choice: FitChoice;
  onChoice: (choice: FitChoice) => void;
}) {
  if (!match.models.length) return null;
  const own = match.models.find((m) => m.model === match.model);
  const simpler = match.models.find((m) => own && m.expected < 0.9 * own.expected);
  return (
    <>
      <table className="mt-1 w-full">
        <thead className="faint text-left">
          <tr>
            <th className="font-normal">What each model would give, ΔE</th>
            <th className="text-right font-normal">chart</th>
            <th className="text-right font-normal">cross-validated</th>
            <th className="text-right font-normal">off chart</th>
          </tr>
        </thead>
        <tbody className="value">
          {match.models.map((m) => (
            <tr key={m.model} className={m.model === match.model ? "font-semibold" : ""}>
              <td className="font-sans">
                <label className="flex cursor-pointer items-center gap-2" title={m.name}>
                  <input
                    type="radio"
                    name="model"
                    className="radio radio-xs"
                    checked={choice.model === m.model}
                    onChange={() => onChoice({ ...choice, model: m.model })}
                  />
                  {m.word}
                </label>
              </td>
              <td className="text-right">{m.after.toFixed(2)}</td>
              <td className="text-right">{m.left_one_out.toFixed(2)}</td>
              <td className="text-right">{m.expected.toFixed(2)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {simpler && match.model === "averaged" && (
        <p className="faint text-2xs">
          {capital(simpler.word)} promises {simpler.expected.toFixed(2)} ΔE. Over 300 simulated
          pairs all models weighted missed 12 % less than the best simple one, whatever each
          promised.
        </p>
      )}
    </>
  );
}

function nextStep(angle: Angle): string {
  const { reference, angle: own } = angle;
  if (!reference.reading && !own.reading) return `Find the chart in both pictures (F), then fit.`;
  if (!own.reading) return `Find the chart in ${own.letter}'s picture, then fit.`;
  if (!reference.reading) return `Find the chart in the reference's picture, then fit.`;
  return "Both charts are read. Fit brings the one to the other (M).";
}

function Steps({
  angle,
  choice,
  onChoice,
}: {
  angle: Angle;
  choice: FitChoice;
  onChoice: (choice: FitChoice) => void;
}) {
  const match = angle.match;
  if (!match) return null;
  const steps: [string, string, string][] = [
    [
      "Flare",
      match.flare_share === 0 ? "none found" : `${(match.flare_share * 100).toFixed(2)} % of white`,
      match.flare_share < 0 ? "added, the reference has more" : "taken off",
    ],
    ["Exposure", `${signed(match.stops, 2)} stop`, "given to the angle"],
    [
      "White",
      `${signed(-match.warmth, 0)} mired, ${signed(-match.tint, 1)}`,
      "tint in Duv·10³, given",
    ],
    [
      "Colour",
      match.model === "white" ? "none" : match.model_word,
      `match revision ${match.number}`,
    ],
  ];
  return (
    <dl className="grid grid-cols-[repeat(auto-fit,minmax(110px,1fr))] gap-3">
      {steps.map(([name, value, note]) => (
        <div key={name}>
          <dt className="faint">{name}</dt>
          <dd className="font-semibold">{value}</dd>
          <dd className="faint text-2xs">{note}</dd>
        </div>
      ))}
      {(angle.clipped > decided.verdict.least_told || match.highlights) && (
        <div>
          <dt className="faint">Highlights</dt>
          <dd>
            <select
              className="select select-xs w-full pr-6 pl-2"
              aria-label="Clipped highlights, in the next fit"
              title="A red or blue that the recording has clipped becomes what green and the other channel say; as recorded it is left"
              value={choice.fills ? "light" : "recorded"}
              onChange={(e) => onChoice({ ...choice, fills: e.target.value === "light" })}
            >
              <option value="light">toward the light</option>
              <option value="recorded">as recorded</option>
            </select>
          </dd>
          <dd className="faint text-2xs">
            {(angle.clipped * 100).toFixed(1)} % clipped,{" "}
            {match.highlights ? "filled" : "as recorded"}
          </dd>
        </div>
      )}
    </dl>
  );
}

/** The grey ramp, and from there the question what the camera's encoding could be. */
function Ramp({ angle }: { angle: Angle }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <div>
      <GreyRamp points={angle.ramp} slope={angle.match?.slope ?? null} />
      <button type="button" className="btn btn-xs mt-1" onClick={() => setOpen(true)}>
        Check the encoding
      </button>
      {isOpen && <EncodingCheck angle={angle} onClose={() => setOpen(false)} />}
    </div>
  );
}

function HowToShoot() {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <button type="button" className="btn btn-xs" onClick={() => setOpen(true)}>
        How to shoot it
      </button>
      {isOpen && <ShootingSheet onClose={() => setOpen(false)} />}
    </>
  );
}

function MenuButton({ angle }: { angle: Angle }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <button type="button" className="btn btn-xs" onClick={() => setOpen(true)}>
        Camera menu
      </button>
      {isOpen && <CameraMenu angle={angle} onClose={() => setOpen(false)} />}
    </>
  );
}

function InCamera({ angle }: { angle: Angle }) {
  const match = angle.match;
  if (!match) return null;
  const stops = Math.round(match.stops * 3) / 3;
  const mired = Math.round(match.warmth / 5) * 5;
  const parts = [
    stops !== 0 &&
      `give ${angle.angle.letter} ${Math.abs(stops).toFixed(1)} stop ${stops > 0 ? "more" : "less"}`,
    mired !== 0 && `set it ${Math.abs(mired)} mired ${mired > 0 ? "cooler" : "warmer"}`,
  ].filter(Boolean);
  return (
    <div>
      <div className="flex items-center justify-between">
        <p className="faint">In the camera instead</p>
        <span className="flex gap-1">
          <MenuButton angle={angle} />
          <HowToShoot />
        </span>
      </div>
      <p className="font-semibold">
        {parts.length
          ? `${capital(parts.join(" and "))}, then shoot the chart again.`
          : "Nothing worth turning."}
      </p>
    </div>
  );
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function Unmatched({ angle }: { angle: Angle }) {
  const before = angle.tuner_before;
  return (
    <div className="flex gap-4">
      {angle.ramp.length > 0 && <Ramp angle={angle} />}
      {before && (
        <dl>
          <dt className="faint">
            {angle.angle.letter} beside {angle.reference.letter}, as shot
          </dt>
          <dd className="value">{signed(before.exposure ?? 0, 2)} stop</dd>
          <dd className="value">{signed(before.warmth ?? 0, 0)} mired</dd>
          <dd className="value">{signed(before.tint ?? 0, 1)} Duv·10³</dd>
          <dd className="value">{signed(before.strength ?? 0, 0)} % saturation</dd>
        </dl>
      )}
      <div>
        <HowToShoot />
      </div>
    </div>
  );
}

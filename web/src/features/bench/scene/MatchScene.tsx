import { useState } from "react";
import type { Angle, Match } from "@/api/client";
import { Problem } from "@/shared/Feedback";
import { DriftCurve } from "./DriftCurve";
import { MarkAreas, type Sheet, sheetOf } from "./MarkAreas";
import type { Clips, Scene } from "./useScene";

/** Ways to match where nobody shot a chart, the best first; each is a job that tells how far it is. */
export function MatchScene({
  angle,
  scene,
  clips,
  frames,
  shared,
}: {
  angle: Angle;
  scene: Scene;
  clips: Clips;
  /** Those on screen. */
  frames: readonly [number, number];
  /** How many probes have a place in both clips. */
  shared: number;
}) {
  const [reference, own] = clips;
  const [mix, setMix] = useState(100);
  const [isMarking, setMarking] = useState(false);
  const [sheet, setSheet] = useState<Sheet | null>(null);
  const off = scene.running || !own || (!reference && !scene.pin);
  // Probes are marks on clips: a pin has none.
  const probes = scene.pin ? 0 : shared;
  return (
    <div className="flex flex-wrap items-center gap-2">
      <button
        type="button"
        className="btn btn-sm"
        disabled={off}
        title="Places that both clips show are found and fitted as a chart's patches are"
        onClick={() => scene.run({ by: "picture" })}
      >
        Match from the picture
      </button>
      {probes > 0 && (
        <>
          <button
            type="button"
            className="btn btn-sm"
            disabled={off}
            title="Matching places, and the probes that both clips show beside them"
            onClick={() => scene.run({ by: "picture", with_probes: true })}
          >
            Picture and {probes} {probes === 1 ? "probe" : "probes"}
          </button>
          <button
            type="button"
            className="btn btn-sm"
            disabled={off}
            title="The same things marked in both clips, and nothing else: four are rough, two give white and exposure"
            onClick={() => scene.run({ by: "areas" })}
          >
            {probes} {probes === 1 ? "probe" : "probes"} only
          </button>
        </>
      )}
      <button
        type="button"
        className="btn btn-sm"
        disabled={off}
        title="The same things are marked in both pictures by hand: where places are not found, or mislead"
        onClick={() => {
          setSheet((kept) => sheetOf(kept, scene, angle.match, clips, frames));
          setMarking(true);
        }}
      >
        Mark areas …
      </button>
      {isMarking && sheet && (
        <MarkAreas
          scene={scene}
          mix={mix / 100}
          match={angle.match}
          clips={clips}
          sheet={sheet}
          onSheet={(change) => setSheet((now) => now && { ...now, ...change(now) })}
          names={[
            `${angle.reference.letter} ${angle.reference.name}`,
            `${angle.angle.letter} ${angle.angle.name}`,
          ]}
          onClose={() => setMarking(false)}
        />
      )}
      <span className="flex items-center gap-1">
        <button
          type="button"
          className="btn btn-sm"
          disabled={off}
          title="From all that both pictures hold, whatever it is: an estimate only"
          onClick={() => scene.run({ by: "statistics", mix: mix / 100 })}
        >
          Estimate
        </button>
        <input
          type="number"
          className="input input-xs w-14"
          aria-label="How much of the estimate is taken, per cent"
          min={0}
          max={100}
          value={mix}
          onChange={(e) => setMix(Math.min(100, Math.max(0, Number(e.target.value) || 0)))}
        />
        <span className="faint">%</span>
      </span>
      {scene.spots.length > 0 && (
        <button
          type="button"
          className="btn btn-sm"
          aria-pressed={scene.shown}
          title="The places that the match in force stands on, over both pictures; press one to take it out"
          onClick={() => scene.show(!scene.shown)}
        >
          Places
        </button>
      )}
      {scene.running && <span className="faint">{scene.step}</span>}
      {scene.error && <Problem error={scene.error} />}
      {scene.problem && (
        <p role="alert" className="basis-full">
          {scene.problem.detail} {scene.problem.hint}
        </p>
      )}
    </div>
  );
}

/** Whether the scenes on screen agree with a match from charts, and how the two drift apart. */
export function CompareWithScene({
  match,
  scene,
  clips: [reference, own],
}: {
  match: Match;
  scene: Scene;
  clips: Clips;
}) {
  const check = match.scene_check;
  return (
    <div className="flex flex-wrap items-center gap-2">
      <button
        type="button"
        className="btn btn-sm"
        disabled={scene.running || !reference || !own}
        title={
          match.scene
            ? "The same places frame by frame: whether exposure or white of the two drift apart"
            : "Places that both scenes show, through the match: a filter, the iris or a light may have changed after the chart"
        }
        onClick={scene.compare}
      >
        {match.scene ? "Follow the drift" : "Compare with the scene"}
      </button>
      {check?.agrees && check.can_steady && !match.steadied && (
        <button
          type="button"
          className="btn btn-sm"
          disabled={scene.running}
          title="The charts are fitted again with the colours that both scenes show beside the patches: what is in the pictures is matched nearer"
          onClick={scene.steady}
        >
          Steady the fit with the scene
        </button>
      )}
      {check && !scene.running && (
        <div className="flex basis-full items-center gap-3">
          <p className="min-w-0 flex-1" role={check.agrees ? "status" : "alert"}>
            {check.is_old && "A clip is taken otherwise since: compare again. "}
            {check.words} <span className="faint">({check.names.join(", ")})</span>
          </p>
          <DriftCurve points={check.drift ?? []} />
        </div>
      )}
    </div>
  );
}

const percent = (share: number) => `${Math.round(100 * share)} %`;

/** From what a match is, in words. */
export function standsOn(match: Match): string {
  const scene = match.scene;
  if (match.borrowed) return `borrowed from ${match.borrowed.source}`;
  if (!scene)
    return match.steadied
      ? `${match.model_word}, the chart and ${match.steadied.count} colours of the scene`
      : match.model_word;
  const count = scene.areas.length;
  const how = { same: "", within: "only ", without: "without " }[scene.area_use];
  const marked = count > 0 ? `${how}${count} ${count === 1 ? "area" : "areas"}` : "";
  if (match.kind === "areas")
    return `from ${marked || `${scene.probes} probes`}${scene.pin ? ` to ${scene.pin.name}` : ""}`;
  if (match.kind === "statistics")
    return `an estimate by statistics${scene.pin ? ` to ${scene.pin.name}` : ""}${marked ? `, ${marked}` : ""}${scene.mix < 1 ? `, ${percent(scene.mix)} of it` : ""}`;
  const to = scene.pin ? ` to ${scene.pin.name}` : "";
  const more = [
    scene.probes > 0 ? `${scene.probes} probes` : "",
    marked,
    scene.left_out.length > 0 ? `${scene.left_out.length} taken out` : "",
  ].filter(Boolean);
  return [
    `from the picture${to}: ${scene.places} places, ${percent(scene.overlap)} in common`,
    ...more,
  ].join(", ");
}

/** What is to be expected, apart for colours that the scene has and for others. */
export function ExpectedOf({ match }: { match: Match }) {
  const said = match.expected_seen;
  if (!said || match.expected_low === null || match.expected_high === null) return null;
  return (
    <p className="faint text-2xs">
      <span className="value">{said.seen.mean.toFixed(2)}</span> of colours in the scene,{" "}
      <span className="value">{said.unseen.mean.toFixed(2)}</span> of others; nine times in ten{" "}
      <span className="value">
        {match.expected_low.toFixed(2)} to {match.expected_high.toFixed(2)}
      </span>
      {match.warnings.map((w) => ` · ${w}`)}
      {match.advice.map((a) => ` · ${a.text}`)}
    </p>
  );
}

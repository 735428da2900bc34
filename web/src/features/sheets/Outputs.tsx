import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { DisplayStage, Output, Schemas } from "@/api/client";
import { displaysQuery, toneQuery } from "@/api/queries";
import { Dial } from "@/shared/Dial";
import { Problem } from "@/shared/Feedback";
import { Plot } from "@/shared/Plot";

export type Tone = Schemas["ToneScale"];
export type Stage = DisplayStage;

const RENDERINGS = [
  ["tone", "our tone scale"],
  ["plain", "plain, clipped at white"],
  ["2.0", "ACES 2.0"],
  ["1.3", "ACES 1.3"],
] as const;

type Rendering = (typeof RENDERINGS)[number][0];

export const renderingOf = (stage: Stage): Rendering =>
  stage.kind === "output-aces" ? stage.version : stage.tone ? "tone" : "plain";

/** A stage of another rendering or display; the tone scale starts as the display's own. */
export function restage(stage: Stage, rendering: Rendering, display: string, tone: Tone): Stage {
  const { compression } = stage;
  if (rendering === "1.3" || rendering === "2.0")
    return { kind: "output-aces", display, version: rendering, compression };
  const kept = stage.kind === "output" && stage.display === display ? stage.tone : null;
  return {
    kind: "output",
    display,
    compression,
    tone: rendering === "plain" ? null : (kept ?? tone),
  };
}

/** The displays that this production is made for; the first is what every view shows. */
export function Outputs({
  outputs,
  onChange,
}: {
  outputs: Output[];
  onChange: (outputs: Output[]) => void;
}) {
  const displays = useQuery(displaysQuery()).data ?? [];
  const [at, setAt] = useState(0);
  const row = outputs[at] ?? outputs[0];
  if (!row) return null;
  const { stage } = row;
  const usual = (slug: string) => displays.find((d) => d.slug === slug)?.tone;
  const put = (changes: Partial<Output>) =>
    onChange(outputs.map((o) => (o === row ? { ...o, ...changes } : o)));
  const stagePut = (next: Stage) => put({ stage: next });
  const turn = (rendering: Rendering, slug: string) => {
    const tone = usual(slug);
    if (tone) stagePut(restage(stage, rendering, slug, tone));
  };
  return (
    <fieldset className="rule mb-3 border p-3" aria-label="Outputs">
      <div className="mb-3 flex flex-wrap items-center gap-1.5">
        {outputs.map((o, i) => (
          <button
            key={o.key || o.name}
            type="button"
            className={`btn btn-xs ${o === row ? "btn-primary" : ""}`}
            aria-pressed={o === row}
            onClick={() => setAt(i)}
          >
            {o.name}
            {i === 0 && " (main)"}
          </button>
        ))}
        <button
          type="button"
          className="btn btn-xs"
          disabled={outputs.length >= 8 || !displays.length}
          onClick={() => {
            const tone = usual("rec2100-pq-1000");
            if (!tone) return;
            const next = restage(stage, "tone", "rec2100-pq-1000", tone);
            onChange([...outputs, { key: "", name: "Rec.2100 PQ", stage: next }]);
            setAt(outputs.length);
          }}
        >
          + output
        </button>
        <span className="ml-auto flex gap-1.5">
          {at > 0 && (
            <button
              type="button"
              className="btn btn-xs"
              onClick={() => {
                onChange([row, ...outputs.filter((o) => o !== row)]);
                setAt(0);
              }}
            >
              Make it the main one
            </button>
          )}
          {outputs.length > 1 && (
            <button
              type="button"
              className="btn btn-xs"
              onClick={() => {
                onChange(outputs.filter((o) => o !== row));
                setAt(0);
              }}
            >
              Remove
            </button>
          )}
        </span>
      </div>
      <div className="grid grid-cols-2 gap-4">
        <div className="flex flex-col gap-2">
          <label>
            <span className="faint block text-2xs">name</span>
            <input
              className="input input-sm w-full"
              aria-label="Output's name"
              value={row.name}
              required
              maxLength={60}
              onChange={(e) => put({ name: e.target.value })}
            />
          </label>
          <label>
            <span className="faint block text-2xs">display</span>
            <select
              className="select select-sm w-full"
              aria-label="Display"
              disabled={!displays.length}
              value={stage.display}
              onChange={(e) => turn(renderingOf(stage), e.target.value)}
            >
              {displays.map((d) => (
                <option key={d.slug} value={d.slug}>
                  {d.name}
                </option>
              ))}
            </select>
          </label>
          <label>
            <span className="faint block text-2xs">rendering</span>
            <select
              className="select select-sm w-full"
              aria-label="Rendering"
              disabled={!displays.length}
              value={renderingOf(stage)}
              onChange={(e) => turn(e.target.value as Rendering, stage.display)}
            >
              {RENDERINGS.map(([key, text]) => (
                <option key={key} value={key}>
                  {text}
                </option>
              ))}
            </select>
          </label>
          <Dial
            label="Gamut compression"
            value={stage.compression * 100}
            low={0}
            high={100}
            step={5}
            neutral={0}
            digits={0}
            unit="%"
            onChange={(v) => stagePut({ ...stage, compression: v / 100 })}
          />
          <p className="faint text-2xs">
            The ACES reference gamut compression, before the output: brings colours outside of the
            working primaries back in.
          </p>
        </div>
        {stage.kind === "output" && stage.tone ? (
          <ToneEditor
            display={stage.display}
            tone={stage.tone}
            usual={usual(stage.display) ?? stage.tone}
            onChange={(tone) => stagePut({ ...stage, tone })}
          />
        ) : (
          <p className="faint self-center">
            {stage.kind === "output-aces"
              ? "The published output transform, done by OpenColorIO. It has no dials."
              : "Scene-linear straight to the display: right up to diffuse white, clipped above."}
          </p>
        )}
      </div>
    </fieldset>
  );
}

function ToneEditor({
  display,
  tone,
  usual,
  onChange,
}: {
  display: string;
  tone: Tone;
  usual: Tone;
  onChange: (tone: Tone) => void;
}) {
  const curve = useQuery({ ...toneQuery(display, tone), placeholderData: keepPreviousData });
  const set = (changes: Partial<Tone>) => onChange({ ...tone, ...changes });
  const rows = [
    ["Contrast", "contrast", 0.5, 2.5, 0.01, "×", 1],
    ["Middle grey at", "grey", 1, 50, 0.1, "nit", 100],
    ["Shoulder from", "start", -3, 5, 0.1, "stops", 1],
    ["White at", "stops_to_white", 1.5, 14, 0.1, "stops", 1],
    ["Black at", "black", 0, 5, 0.01, "nit", 100],
  ] as const;
  return (
    <div className="flex flex-col gap-1.5">
      {curve.data && (
        <Plot
          label="Code value of the display against stops about middle grey"
          points={curve.data.stops.map((s, i) => [s, curve.data.code[i] ?? 0] as const)}
          x={{ low: -9, high: 9, ticks: [-8, -4, 0, 4, 8], unit: "stops about 18 %" }}
          y={{ low: 0, high: 1, ticks: [0, 0.5, 1], unit: "code value" }}
          marks={[{ at: [0, curve.data.code[90] ?? 0], text: "18 %" }]}
        />
      )}
      {curve.isError && <Problem error={curve.error} />}
      {rows.map(([label, key, low, high, step, unit, scale]) => (
        <Dial
          key={key}
          label={label}
          value={tone[key] * scale}
          low={low}
          high={high}
          step={step}
          neutral={usual[key] * scale}
          unit={unit}
          digits={key === "grey" || key === "start" || key === "stops_to_white" ? 1 : 2}
          onChange={(v) => set({ [key]: v / scale })}
        />
      ))}
    </div>
  );
}

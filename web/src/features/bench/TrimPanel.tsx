import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Dial } from "@/shared/Dial";
import { Problem } from "@/shared/Feedback";
import { signed } from "@/shared/Tuner";
import { CdlDials } from "./CdlDials";
import { CurveEditor } from "./CurveEditor";
import { HUE_NAMES, HueWheel, withHue } from "./HueWheel";
import {
  bypassed,
  type Full,
  full,
  isNeutral,
  NEUTRAL,
  PARTS,
  type Part,
  type TrimStage,
  without,
} from "./trimParts";
import type { Place } from "./useMeasured";
import type { TrimUnderHand } from "./useTrim";

export type Compared = Schemas["ComparedOut"];

/** The trim's parts in signal order: one is open, each is bypassed and taken back by itself. */
export function TrimPanel({
  trim,
  part,
  forClip,
  clipName,
  places,
  compared,
  effect,
  originOf,
  onPart,
  onFor,
  onPlaces,
  onCopy,
}: {
  trim: TrimUnderHand;
  part: Part;
  forClip: boolean;
  clipName: string;
  places: Place[];
  compared: Compared[];
  /** What the pairs do beside their own colours. */
  effect: Schemas["PairEffectOut"] | null;
  /** Where a place was picked, in words. */
  originOf: (place: Place) => string;
  onPart: (part: Part) => void;
  onFor: (forClip: boolean) => void;
  onPlaces: (places: Place[]) => void;
  onCopy: () => void;
}) {
  const now = full(trim.now);
  const set = (changes: TrimStage) => trim.set({ ...trim.now, ...changes });
  const off = new Set(now.off);
  return (
    <div className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-2">
        <div className="join" role="tablist" aria-label="Parts of the trim">
          {PARTS.map((name) => (
            <button
              key={name}
              type="button"
              role="tab"
              aria-selected={part === name}
              title="Double click takes this part back (N: next part)"
              className={`btn btn-xs join-item px-1.5 capitalize ${part === name ? "btn-primary" : ""} ${off.has(name) ? "line-through" : ""}`}
              onClick={() => onPart(name)}
              onDoubleClick={() => trim.set(without(trim.now, name))}
            >
              {name}
              {!isNeutral(trim.now, name) && " •"}
            </button>
          ))}
        </div>
        <select
          className="select select-xs ml-auto w-36"
          aria-label="What the trim acts on"
          value={forClip ? "clip" : "light"}
          onChange={(e) => onFor(e.target.value === "clip")}
        >
          <option value="light">all clips of this light</option>
          <option value="clip">{clipName} adds</option>
        </select>
      </div>
      {trim.row?.is_over_other && <Marked trim={trim} />}
      <PartOf
        part={part}
        now={now}
        set={set}
        places={places}
        compared={compared}
        effect={effect}
        originOf={originOf}
        onPlaces={onPlaces}
      />
      <div className="flex items-center gap-2">
        <button
          type="button"
          className="btn btn-xs btn-primary"
          disabled={!trim.isDraft || trim.keep.isPending}
          onClick={() => trim.keep.mutate({ stage: trim.now })}
        >
          Keep
        </button>
        <button
          type="button"
          className="btn btn-xs"
          disabled={!trim.isDraft}
          onClick={() => trim.set(null)}
        >
          As kept
        </button>
        <button
          type="button"
          className="btn btn-xs"
          onClick={() => trim.set(without(trim.now, part))}
        >
          Take {part} back
        </button>
        <button
          type="button"
          className="btn btn-xs"
          disabled={trim.isDraft || !trim.row?.number}
          title={trim.isDraft ? "Keep it first" : "Copy named parts to other lights and cameras"}
          onClick={onCopy}
        >
          Copy …
        </button>
        <label className="flex items-center gap-1 text-2xs">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={off.has(part)}
            onChange={(e) => trim.set(bypassed(trim.now, part, e.target.checked))}
          />
          bypass
        </label>
        <span className="faint truncate text-2xs">
          {trim.isDraft
            ? `${trim.where}: not kept yet`
            : trim.row?.number
              ? `trim ${trim.row.number} of ${trim.where}`
              : `no trim of ${trim.where}`}
        </span>
      </div>
      {(trim.keep.isError || trim.carry.isError) && (
        <Problem error={trim.keep.error ?? trim.carry.error} />
      )}
    </div>
  );
}

/** A trim that was made over a match that is no longer in force: three ways on. */
function Marked({ trim }: { trim: TrimUnderHand }) {
  const over = trim.row?.match_number;
  return (
    <div className="rule flex flex-wrap items-center gap-2 rounded border px-2 py-1" role="status">
      <span>
        Made over {over ? `match ${over}` : "no match"};{" "}
        {trim.matchNumber
          ? `match ${trim.matchNumber} is in force now.`
          : "no match is in force now."}
      </span>
      {(
        [
          ["left", "Keep what is left", "Only what the new match does not do already"],
          ["keep", "Keep as it is", "The same numbers over the new match"],
          ["drop", "Drop", "No trim"],
        ] as const
      ).map(([choice, text, title]) => (
        <button
          key={choice}
          type="button"
          className="btn btn-xs"
          title={title}
          disabled={trim.carry.isPending}
          onClick={() => trim.carry.mutate(choice)}
        >
          {text}
        </button>
      ))}
    </div>
  );
}

type PartProps = {
  now: Full;
  set: (changes: TrimStage) => void;
};

type PairsProps = {
  places: Place[];
  compared: Compared[];
  effect: Schemas["PairEffectOut"] | null;
  originOf: (place: Place) => string;
  onPlaces: (places: Place[]) => void;
};

function PartOf({
  part,
  places,
  compared,
  effect,
  originOf,
  onPlaces,
  ...rest
}: PartProps & PairsProps & { part: Part }) {
  switch (part) {
    case "light":
      return <Light {...rest} />;
    case "tone":
      return <Tone {...rest} />;
    case "curves":
      return <Curves {...rest} />;
    case "hues":
      return <Hues {...rest} />;
    case "pairs":
      return <Pairs {...rest} {...{ places, compared, effect, originOf, onPlaces }} />;
    case "detail":
      return <Detail {...rest} />;
  }
}

const put = (list: readonly number[], i: number, value: number) =>
  list.map((v, k) => (k === i ? value : v)) as [number, number, number];

function Light({ now, set }: PartProps) {
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
      <div className="flex flex-col gap-1.5">
        <Dial
          label="Exposure"
          compact
          value={now.stops}
          low={-4}
          high={4}
          step={0.02}
          neutral={0}
          unit="stops"
          onChange={(stops) => set({ stops })}
        />
        <Dial
          label="Warmth"
          compact
          value={now.warmth}
          low={-250}
          high={250}
          step={2}
          neutral={0}
          digits={0}
          unit="mired, warmer"
          onChange={(warmth) => set({ warmth })}
        />
        <Dial
          label="Tint"
          compact
          value={now.tint}
          low={-40}
          high={40}
          step={0.2}
          neutral={0}
          digits={1}
          unit="Duv × 1000, greener"
          onChange={(tint) => set({ tint })}
        />
        <Dial
          label="Flare"
          compact
          value={100 * now.flare}
          low={-5}
          high={5}
          step={0.05}
          neutral={0}
          unit="% of white"
          onChange={(v) => set({ flare: v / 100 })}
        />
      </div>
      <div className="flex flex-col gap-1.5">
        {(["R", "G", "B"] as const).map((c, i) => (
          <Dial
            key={c}
            label={`${c}, stops`}
            compact
            value={now.stops_rgb[i] ?? 0}
            low={-2}
            high={2}
            step={0.01}
            neutral={0}
            unit="stops"
            onChange={(v) => set({ stops_rgb: put(now.stops_rgb, i, v) })}
          />
        ))}
        <div className="flex items-center gap-1">
          <span className="w-16 shrink-0">Flare RGB</span>
          {(["R", "G", "B"] as const).map((c, i) => (
            <Figure
              key={c}
              label={`Flare ${c}, % of white`}
              value={100 * (now.flare_rgb[i] ?? 0)}
              low={-20}
              high={20}
              digits={2}
              step={0.05}
              onChange={(v) => set({ flare_rgb: put(now.flare_rgb, i, v / 100) })}
            />
          ))}
        </div>
      </div>
    </div>
  );
}

const LEVELS = ["darks", "middle", "lights"] as const;

function Tone({ now, set }: PartProps) {
  const level = (i: number, changes: Partial<Full["levels"][number]>) =>
    set({
      levels: now.levels.map((l, k) => (k === i ? { ...l, ...changes } : l)) as Full["levels"],
    });
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
      <div className="flex flex-col gap-1.5">
        <Dial
          label="Contrast"
          compact
          value={now.contrast}
          low={0.5}
          high={2}
          step={0.01}
          neutral={1}
          digits={3}
          unit="slope"
          onChange={(contrast) => set({ contrast })}
        />
        <Dial
          label="Pivot"
          compact
          value={now.pivot}
          low={-4}
          high={4}
          step={0.1}
          neutral={0}
          digits={1}
          unit="stops about middle grey"
          onChange={(pivot) => set({ pivot })}
        />
        <table className="w-full">
          <thead className="faint text-2xs">
            <tr>
              <th className="text-left font-normal">by level</th>
              <th className="text-right font-normal">mired</th>
              <th className="text-right font-normal">tint</th>
              <th className="text-right font-normal">sat.</th>
              <th className="text-right font-normal">border</th>
            </tr>
          </thead>
          <tbody>
            {LEVELS.map((name, i) => {
              const l = now.levels[i] ?? { warmth: 0, tint: 0, saturation: 1 };
              return (
                <tr key={name}>
                  <td className="pr-1">{name}</td>
                  <td>
                    <Figure
                      label={`Warmth of ${name}, mired`}
                      value={l.warmth}
                      low={-250}
                      high={250}
                      digits={0}
                      step={2}
                      onChange={(warmth) => level(i, { warmth })}
                    />
                  </td>
                  <td>
                    <Figure
                      label={`Tint of ${name}, Duv × 1000`}
                      value={l.tint}
                      low={-40}
                      high={40}
                      digits={1}
                      step={0.2}
                      onChange={(tint) => level(i, { tint })}
                    />
                  </td>
                  <td>
                    <Figure
                      label={`Saturation of ${name}`}
                      value={l.saturation}
                      low={0}
                      high={4}
                      digits={2}
                      step={0.02}
                      onChange={(saturation) => level(i, { saturation })}
                    />
                  </td>
                  <td>
                    {i !== 1 && (
                      <Figure
                        label={`Border of ${name}, stops about middle grey`}
                        value={now.borders[i === 0 ? 0 : 1]}
                        low={i === 0 ? -8 : now.borders[0] + 0.5}
                        high={i === 0 ? now.borders[1] - 0.5 : 8}
                        digits={1}
                        step={0.1}
                        onChange={(v) =>
                          set({ borders: i === 0 ? [v, now.borders[1]] : [now.borders[0], v] })
                        }
                      />
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <CdlDials cdl={now.cdl} onChange={(cdl) => set({ cdl: { ...NEUTRAL.cdl, ...cdl } })} />
    </div>
  );
}

const CURVES = ["lum.", "R", "G", "B"] as const;

function Curves({ now, set }: PartProps) {
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

function Hues({ now, set }: PartProps) {
  const [chosen, setChosen] = useState(0);
  const hue = now.hues[chosen] ?? { turn: 0, saturation: 1, stops: 0 };
  const change = (changes: Partial<Full["hues"][number]>) =>
    set({ hues: withHue(now.hues, chosen, changes) });
  return (
    <div className="flex gap-3">
      <HueWheel
        hues={now.hues}
        chosen={chosen}
        onChoose={setChosen}
        onChange={(hues) => set({ hues })}
      />
      <div className="flex min-w-0 flex-1 flex-col gap-1.5">
        <select
          className="select select-xs w-28 capitalize"
          aria-label="Band"
          value={chosen}
          onChange={(e) => setChosen(Number(e.target.value))}
        >
          {HUE_NAMES.map((name, i) => (
            <option key={name} value={i}>
              {name}
            </option>
          ))}
        </select>
        <Dial
          label="Turn"
          compact
          value={hue.turn}
          low={-36}
          high={36}
          step={0.5}
          neutral={0}
          digits={1}
          unit="degrees"
          onChange={(turn) => change({ turn })}
        />
        <Dial
          label="Chroma"
          compact
          value={hue.saturation}
          low={0}
          high={2}
          step={0.01}
          neutral={1}
          unit="factor"
          onChange={(saturation) => change({ saturation })}
        />
        <Dial
          label="Light"
          compact
          value={hue.stops}
          low={-1}
          high={1}
          step={0.02}
          neutral={0}
          unit="stops"
          onChange={(stops) => change({ stops })}
        />
      </div>
    </div>
  );
}

const swatch = (rgb: readonly number[]) => {
  // For telling rows apart, not for judging: AP1 light as if it were the screen's.
  const [r = 0, g = 0, b = 0] = rgb.map((v) =>
    Math.round(255 * Math.max(0, Math.min(1, v)) ** 0.42),
  );
  return `rgb(${r} ${g} ${b})`;
};

function Pairs({ now, set, places, compared, effect, originOf, onPlaces }: PartProps & PairsProps) {
  const pairOf = (c: Compared, place: Place | undefined): Full["pairs"][number] => ({
    angle: c.pair[0],
    reference: c.pair[1],
    reach: c.reach,
    strength: 1,
    origin: place ? originOf(place) : "",
  });
  return (
    <div className="flex flex-col gap-1">
      {effect && (
        <p className="faint text-2xs">
          The pairs move greys by ΔE {effect.greys.toFixed(1)} at most, usual skins by{" "}
          {effect.skins.toFixed(1)}.
        </p>
      )}
      {places.length === 0 && now.pairs.length === 0 && (
        <p className="faint">
          Press P, then click the same thing in both pictures: it is compared here, and becomes a
          pair, or sets exposure and white.
        </p>
      )}
      {(places.length > 0 || now.pairs.length > 0) && (
        <table className="w-full">
          {compared.length > 0 && (
            <thead className="faint text-2xs">
              <tr>
                <th aria-label="Place" />
                <th className="text-left font-normal" title="Reference, angle">
                  both
                </th>
                <th className="text-right font-normal">apart</th>
                <th className="text-right font-normal">stops</th>
                <th className="text-right font-normal">mired</th>
                <th className="text-right font-normal">tint</th>
                <th aria-label="What to do" />
              </tr>
            </thead>
          )}
          <tbody>
            {compared.map((c, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: places have no other name than their number
              <tr key={`place ${i}`}>
                <td className="w-6">{i + 1}</td>
                <td className="w-12">
                  <Two left={c.reference} right={c.angle} />
                </td>
                <td className="value text-right">ΔE {c.delta_e.toFixed(1)}</td>
                <td className="value text-right">{signed(c.stops, 2)}</td>
                <td className="value text-right">{signed(c.warmth, 0)}</td>
                <td className="value text-right">{signed(c.tint, 1)}</td>
                <td className="whitespace-nowrap text-right">
                  <button
                    type="button"
                    className="btn btn-xs"
                    title="Exposure as here"
                    onClick={() => set({ stops: round(now.stops - c.stops) })}
                  >
                    Stops
                  </button>{" "}
                  <button
                    type="button"
                    className="btn btn-xs"
                    title="Exposure and white as here"
                    onClick={() =>
                      set({
                        stops: round(now.stops - c.stops),
                        warmth: round(now.warmth - c.warmth, 1),
                        tint: round(now.tint - c.tint, 2),
                      })
                    }
                  >
                    White
                  </button>{" "}
                  <button
                    type="button"
                    className="btn btn-xs"
                    title="This colour of the angle should be that one of the reference"
                    onClick={() => set({ pairs: [...now.pairs, pairOf(c, places[i])] })}
                  >
                    Pair
                  </button>{" "}
                  <button
                    type="button"
                    className="btn btn-xs"
                    aria-label={`Take place ${i + 1} out`}
                    onClick={() => onPlaces(places.filter((_, k) => k !== i))}
                  >
                    ×
                  </button>
                </td>
              </tr>
            ))}
            {now.pairs.map((p, i) => {
              const pair = p;
              const change = (changes: Partial<typeof pair>) =>
                set({ pairs: now.pairs.map((q, k) => (k === i ? { ...q, ...changes } : q)) });
              return (
                <tr key={`pair ${pair.angle.join()}`} title={pair.origin || undefined}>
                  <td>⇒</td>
                  <td>
                    <Two left={pair.angle} right={pair.reference} />
                  </td>
                  <td colSpan={2} className="pl-2">
                    <span className="flex items-center gap-1">
                      reach{" "}
                      <Figure
                        label={`Reach of pair ${i + 1}, stops of chroma`}
                        value={pair.reach * 17.52}
                        low={0.9}
                        high={7}
                        digits={1}
                        step={0.1}
                        onChange={(v) => change({ reach: v / 17.52 })}
                      />{" "}
                      stops
                    </span>
                  </td>
                  <td colSpan={2} className="pl-2">
                    <span className="flex items-center gap-1">
                      strength{" "}
                      <Figure
                        label={`Strength of pair ${i + 1}, %`}
                        value={pair.strength * 100}
                        low={0}
                        high={100}
                        digits={0}
                        step={5}
                        onChange={(v) => change({ strength: v / 100 })}
                      />{" "}
                      %
                    </span>
                  </td>
                  <td className="text-right">
                    <button
                      type="button"
                      className="btn btn-xs"
                      aria-label={`Take pair ${i + 1} out`}
                      onClick={() => set({ pairs: now.pairs.filter((_, k) => k !== i) })}
                    >
                      ×
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </div>
  );
}

const round = (value: number, digits = 3) => Number(value.toFixed(digits));

function Two({ left, right }: { left: readonly number[]; right: readonly number[] }) {
  return (
    <span className="flex" aria-hidden="true">
      <span className="h-4 w-5" style={{ background: swatch(left) }} />
      <span className="h-4 w-5" style={{ background: swatch(right) }} />
    </span>
  );
}

const BANDS = ["fine", "middle", "coarse"] as const;

function Detail({ now, set }: PartProps) {
  return (
    <div className="flex max-w-md flex-col gap-1.5">
      {BANDS.map((name, i) => (
        <Dial
          key={name}
          label={name}
          compact
          value={100 * (now.detail[i] ?? 0)}
          low={0}
          high={100}
          step={2}
          neutral={0}
          digits={0}
          unit="% taken off"
          onChange={(v) => set({ detail: put(now.detail, i, v / 100) })}
        />
      ))}
      <p className="faint text-2xs">
        Softens detail of about 1, 2.5 and 6 pixels of 1920. Pictures have it, LUTs do not: each
        says so.
      </p>
    </div>
  );
}

/** A number that is typed or stepped. */
function Figure({
  label,
  value,
  low,
  high,
  digits,
  step,
  onChange,
}: {
  label: string;
  value: number;
  low: number;
  high: number;
  digits: number;
  step: number;
  onChange: (value: number) => void;
}) {
  const to = (v: number) => onChange(Number(Math.max(low, Math.min(high, v)).toFixed(6)));
  return (
    <input
      key={value}
      className="input input-xs value w-full min-w-11 px-1 text-right"
      aria-label={label}
      title={`${label}: ${low} to ${high}`}
      defaultValue={value.toFixed(digits)}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        const move = { ArrowUp: 1, ArrowDown: -1 }[e.key];
        if (!move) return;
        e.preventDefault();
        to(value + move * step * (e.shiftKey ? 0.2 : 1));
      }}
      onBlur={(e) => {
        const typed = Number(e.target.value.trim().replace(",", "."));
        const isWrong = e.target.value.trim() === "" || !Number.isFinite(typed);
        e.target.setCustomValidity(isWrong ? `“${e.target.value}” is no number` : "");
        if (!e.target.reportValidity()) return;
        if (typed.toFixed(digits) !== value.toFixed(digits)) to(typed);
      }}
    />
  );
}

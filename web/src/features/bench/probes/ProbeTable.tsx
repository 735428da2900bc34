import { type ReactNode, useState } from "react";
import type { Angle, Clip } from "@/api/client";
import { decided } from "@/api/decided";
import { Problem } from "@/shared/Feedback";
import { signed } from "@/shared/Tuner";
import { Figure } from "../trim/Figure";
import { asThere, Two, withPair } from "../trim/Pairs";
import { full } from "../trimParts";
import { STAGES, type Stage, UNITS, type Unit } from "../useBenchPlace";
import type { TrimUnderHand } from "../useTrim";
import { nameOf } from "./ProbesLayer";
import type { Probed, Side } from "./reader";
import { SameThing } from "./SameThing";
import { type Probes, useRead, useReading } from "./useProbes";

const COLUMNS = decided.stages.probed;
const UNIT_WORDS: Record<Unit, string> = {
  code: "code, 0 to 1023",
  percent: "%",
  stops: "stops about grey",
  nit: "nit",
  linear: "linear",
};
const DIGITS: Record<Unit, number> = { code: 0, percent: 1, stops: 2, nit: 1, linear: 4 };

/** Probes as rows, stages in signal order as columns: where reference and angle part is seen. */
export function ProbeTable({
  angle,
  clips,
  probes,
  trim,
  canTurn,
  unit,
  off,
  onUnit,
  onOpen,
  onSwitch,
  onNear,
}: {
  angle: Angle;
  clips: readonly [Clip | undefined, Clip | undefined];
  probes: Probes;
  trim: TrimUnderHand;
  canTurn: boolean;
  unit: Unit;
  off: readonly Stage[];
  onUnit: (unit: Unit) => void;
  onOpen: (stage: Stage) => void;
  onSwitch: (stage: Stage) => void;
  /** Look at a probe from near, in both pictures. */
  onNear: (probe: Probed) => void;
}) {
  const reading = useReading(probes);
  const read = reading.data ?? [];
  const chosen = read.find((p) => p.id === probes.chosen) ?? null;
  return (
    <div className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-2">
        <select
          className="select select-xs w-36"
          aria-label="Unit of the probes"
          value={unit}
          onChange={(e) => onUnit(e.target.value as Unit)}
        >
          {UNITS.map((u) => (
            <option key={u} value={u}>
              {UNIT_WORDS[u]}
            </option>
          ))}
        </select>
        {chosen ? (
          <Actions
            key={chosen.id}
            angle={angle}
            clips={clips}
            probe={chosen}
            probes={probes}
            trim={trim}
            canTurn={canTurn}
            onNear={() => onNear(chosen)}
          />
        ) : (
          <span className="faint">
            {read.length
              ? "Choose a probe for what it can set."
              : "Click in a picture to keep a sample; click the same thing in the other to compare."}
          </span>
        )}
      </div>
      {(probes.error ?? reading.error) ? <Problem error={probes.error ?? reading.error} /> : null}
      {read.length > 0 && (
        <table className="w-full border-collapse">
          <thead className="faint text-2xs">
            <tr>
              <th className="text-left font-normal">probe</th>
              {COLUMNS.map((name) => (
                <th key={name} className="text-right font-normal whitespace-nowrap">
                  <Head name={name} off={off} onOpen={onOpen} onSwitch={onSwitch} />
                </th>
              ))}
              <th className="text-right font-normal">apart</th>
            </tr>
          </thead>
          <tbody>
            {read.map((probe) => (
              <Rows
                key={probe.id}
                probe={probe}
                unit={unit}
                letters={[angle.reference.letter, angle.angle.letter]}
                isChosen={chosen?.id === probe.id}
                onChoose={() => probes.choose(probe.id)}
              />
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

function Head({
  name,
  off,
  onOpen,
  onSwitch,
}: {
  name: (typeof COLUMNS)[number];
  off: readonly Stage[];
  onOpen: (stage: Stage) => void;
  onSwitch: (stage: Stage) => void;
}) {
  const stage = STAGES.find((s) => s === name);
  if (!stage) return name === "input" ? "linear" : name;
  const isOff = off.includes(stage);
  return (
    <span className="inline-flex items-center gap-1">
      <input
        type="checkbox"
        className="checkbox checkbox-xs size-3"
        aria-label={`${name} in the pictures`}
        title="Off: left out of the pictures, for looking only"
        checked={!isOff}
        onChange={() => onSwitch(stage)}
      />
      <button
        type="button"
        className={`cursor-pointer underline decoration-dotted ${isOff ? "line-through" : ""}`}
        title={`Open ${name}; Esc brings the table back`}
        onClick={() => onOpen(stage)}
      >
        {name}
      </button>
    </span>
  );
}

function Rows({
  probe,
  unit,
  letters,
  isChosen,
  onChoose,
}: {
  probe: Probed;
  unit: Unit;
  letters: [string, string];
  isChosen: boolean;
  onChoose: () => void;
}) {
  const { apart } = probe;
  return (
    <>
      {probe.sides.map((side, i) => (
        <tr
          // biome-ignore lint/suspicious/noArrayIndexKey: reference and angle
          key={i}
          className={`${i === 0 ? "rule border-t" : ""} ${isChosen ? "bg-base-300" : ""} cursor-pointer`}
          onClick={onChoose}
        >
          <td className="whitespace-nowrap" title={side ? placeWords(side) : undefined}>
            {i === 0 ? (
              <button type="button" className="cursor-pointer" onClick={onChoose}>
                <span className="font-semibold">{nameOf(probe)}</span> {letters[0]}
              </button>
            ) : (
              <span className="pl-2">
                {letters[1]}
                {probe.is_skin && <span className="faint"> skin</span>}
              </span>
            )}
          </td>
          {COLUMNS.map((name) => (
            <td key={name} className="value pl-2 text-right text-2xs whitespace-nowrap">
              {side ? written(side, name, unit) : "–"}
            </td>
          ))}
          <td className="value pl-2 text-right text-2xs whitespace-nowrap">
            {!apart
              ? ""
              : i === 0
                ? `ΔE ${apart.delta_e.toFixed(1)} ${signed(apart.stops, 2)} stop`
                : `${signed(apart.warmth, 0)} mired ${signed(apart.tint, 1)} tint`}
          </td>
        </tr>
      ))}
    </>
  );
}

function written(side: Side, name: string, unit: Unit): string {
  const values = side.stages.find((s) => s.stage === name)?.[unit];
  return values ? values.map((v) => v.toFixed(DIGITS[unit])).join(" ") : "–";
}

/** Where it was kept, on how many pixels, how far they spread, and whether they are clipped. */
function placeWords(side: Side): string {
  const clipped = side.clipped > 0 ? `, ${(100 * side.clipped).toFixed(0)} % clipped` : "";
  return `${side.clip} frame ${side.place.frame + 1}, ${side.pixels} pixels of up to four frames, spread ${side.spread.toFixed(2)} stop${clipped}`;
}

function Actions({
  angle,
  clips,
  probe,
  probes,
  trim,
  canTurn,
  onNear,
}: {
  angle: Angle;
  clips: readonly [Clip | undefined, Clip | undefined];
  probe: Probed;
  probes: Probes;
  trim: TrimUnderHand;
  canTurn: boolean;
  onNear: () => void;
}) {
  const [several, setSeveral] = useState(false);
  const now = full(trim.now);
  const set = (changes: object) => trim.set({ ...trim.now, ...changes });
  const own = probe.sides[1];
  const clip = clips[own ? 1 : 0];
  const place = (own ?? probe.sides[0])?.place;
  const clipped = Math.max(...probe.sides.map((s) => s?.clipped ?? 0));
  return (
    <>
      <input
        key={probe.name}
        className="input input-xs w-20"
        aria-label="Name of the probe"
        placeholder={`name of ${probe.number}`}
        defaultValue={probe.name}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        onBlur={(e) => {
          const name = e.target.value.trim();
          if (name !== probe.name) probes.change({ id: probe.id, name });
        }}
      />
      {place && clip && (
        <span className="flex w-20 items-center gap-1">
          <Figure
            label="Diameter of the probe, pixels"
            value={Math.round(place.size * clip.width)}
            low={1}
            high={101}
            digits={0}
            step={2}
            onChange={(v) => {
              const places = probes.list.find((p) => p.id === probe.id)?.places ?? [];
              probes.change({
                id: probe.id,
                places: places.map((p) => ({ ...p, size: v / clip.width })),
              });
            }}
          />
          px
        </span>
      )}
      {probe.apart && (
        <>
          <Two left={probe.sides[0]?.light ?? []} right={probe.sides[1]?.light ?? []} />
          <Act
            title="Exposure as the reference has it here"
            disabled={!canTurn}
            onClick={() => set(asThere(now, probe, "stops"))}
          >
            Stops
          </Act>
          <Act
            title="Exposure and white as the reference has them here"
            disabled={!canTurn}
            onClick={() => set(asThere(now, probe, "white"))}
          >
            White
          </Act>
          <Act
            title="This colour of the angle should be that one of the reference"
            disabled={!canTurn}
            onClick={() => set(withPair(now, probe))}
          >
            Pair
          </Act>
        </>
      )}
      {own && (
        <>
          <Act
            title={
              own.cast
                ? `Neutral after the balance: ${signed(-own.cast[0], 0)} mired, ${signed(-own.cast[1], 1)} tint`
                : "It has a colour of its own"
            }
            disabled={!canTurn || !own.cast}
            onClick={() =>
              own.cast &&
              set({
                warmth: Number((now.warmth - own.cast[0]).toFixed(1)),
                tint: Number((now.tint - own.cast[1]).toFixed(2)),
              })
            }
          >
            Neutral
          </Act>
          <Act
            title={`Contrast turns about here: ${signed(own.stops, 1)} stop about middle grey`}
            disabled={!canTurn || own.stops < -4 || own.stops > 4}
            onClick={() => set({ pivot: Number(own.stops.toFixed(1)) })}
          >
            Pivot
          </Act>
        </>
      )}
      <label className="flex items-center gap-1" title="Where skins belong, on the vectorscope">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={probe.is_skin}
          onChange={(e) => probes.change({ id: probe.id, is_skin: e.target.checked })}
        />
        skin
      </label>
      <Act
        title="The same thing in other clips: set all in one go"
        onClick={() => setSeveral(true)}
      >
        Several clips …
      </Act>
      <Act title="Look at it from near, in both pictures" onClick={onNear}>
        Near
      </Act>
      <Act
        title="Take the probe out"
        label={`Take probe ${nameOf(probe)} out`}
        onClick={() => probes.change({ id: probe.id, is_put_away: true })}
      >
        ×
      </Act>
      {clipped > 0.01 && <span>{(100 * clipped).toFixed(0)} % clipped</span>}
      {several && <SameThing angle={angle} probe={probe} onClose={() => setSeveral(false)} />}
    </>
  );
}

function Act({
  title,
  label,
  disabled = false,
  onClick,
  children,
}: {
  title: string;
  label?: string;
  disabled?: boolean;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className="btn btn-xs px-1.5"
      title={title}
      aria-label={label}
      disabled={disabled}
      onClick={onClick}
    >
      {children}
    </button>
  );
}

/** The first two probes in one line, whatever panel is open: usually a wall and a skin. */
export function ProbeLine({ probes, onOpen }: { probes: Probes; onOpen: () => void }) {
  const read = useRead(probes).filter((p) => p.apart);
  const skin = read.find((p) => p.is_skin);
  const two = [...read.filter((p) => p !== skin).slice(0, skin ? 1 : 2), ...(skin ? [skin] : [])];
  if (!two.length) return null;
  return (
    <div
      className="grid grid-cols-2 gap-3 overflow-hidden px-3 pt-1"
      role="status"
      aria-label="Probes"
    >
      {two.map((probe) => (
        <button
          key={probe.id}
          type="button"
          className="flex min-w-0 cursor-pointer items-center gap-1.5 whitespace-nowrap text-2xs"
          title="Open the probe table"
          onClick={() => {
            probes.choose(probe.id);
            onOpen();
          }}
        >
          <Two small left={probe.sides[0]?.light ?? []} right={probe.sides[1]?.light ?? []} />
          <span className="min-w-3 truncate">
            {nameOf(probe)}
            {probe.is_skin && probe.name !== "skin" ? " (skin)" : ""}
          </span>
          <span className="value truncate">
            ΔE {probe.apart?.delta_e.toFixed(1)} {signed(probe.apart?.stops ?? 0, 2)} stop{" "}
            {signed(probe.apart?.warmth ?? 0, 0)} mired {signed(probe.apart?.tint ?? 0, 1)} tint
          </span>
        </button>
      ))}
    </div>
  );
}

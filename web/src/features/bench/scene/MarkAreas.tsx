import { useState } from "react";
import type { Match } from "@/api/client";
import { pictureUrl } from "@/api/queries";
import { AreaOverlay } from "@/shared/AreaOverlay";
import { Dialog } from "@/shared/Dialog";
import { type AreaPair, withArea } from "@/shared/fitChoice";
import type { Clips, Scene } from "./useScene";

type Side = "reference" | "angle";
type Use = "same" | "within" | "without";
const USES: [Use, string][] = [
  ["same", "the same things"],
  ["within", "only these count"],
  ["without", "these do not count"],
];
// Of a picture in which nothing was marked: all of it counts, or none of it is left out.
const rest = (use: Use): Box => (use === "within" ? [0, 0, 1, 1] : [0, 0, 0, 0]);
type Box = [number, number, number, number];

const boxOf = ({ x, y, width, height }: NonNullable<AreaPair[Side]>): Box => [x, y, width, height];
const areaOf = ([x, y, width, height]: Box) => ({ clip_id: 0, x, y, width, height });

/** What is marked, in which frames, and what it is for; closing the sheet loses nothing of it. */
export type Sheet = { of: string; at: [number, number]; areas: AreaPair[]; use: Use };

/** A sheet as it is opened: what was marked last in these pictures, or what the match stands on. */
export function sheetOf(
  kept: Sheet | null,
  { pin }: Scene,
  match: Match | null,
  clips: Clips,
  frames: readonly [number, number],
): Sheet {
  const of = [pin?.uuid, ...clips.map((clip) => clip?.id)].join();
  if (kept?.of === of) return kept;
  const was = match?.scene;
  const isSame = was && (pin ? was.pin?.uuid === pin.uuid : !was.pin);
  if (!isSame || !was.areas.length)
    return { of, at: [pin ? 0 : frames[0], frames[1]], areas: [], use: "same" };
  const areas = was.areas.map(([one, other]) => ({
    reference: areaOf(one),
    angle: areaOf(other),
    weight: 1,
  }));
  return { of, at: was.area_frames, areas, use: was.area_use };
}

/** The same things, marked in the picture that is matched to and in the angle's. */
export function MarkAreas({
  scene,
  mix,
  match,
  clips: [reference, own],
  names,
  sheet: { at, areas, use },
  onSheet,
  onClose,
}: {
  scene: Scene;
  /** How much of an estimate is taken, 0 to 1. */
  mix: number;
  match: Match | null;
  clips: Clips;
  /** Of the reference's camera and the angle's. */
  names: readonly [string, string];
  sheet: Sheet;
  onSheet: (change: (now: Sheet) => Partial<Sheet>) => void;
  onClose: () => void;
}) {
  const { pin } = scene;
  const setAreas = (change: (now: AreaPair[]) => AreaPair[]) =>
    onSheet((now) => ({ areas: change(now.areas) }));
  const limits = use !== "same";
  const whole = areas.flatMap((pair) =>
    limits || (pair.reference && pair.angle)
      ? [[pair.reference, pair.angle].map((area) => (area ? boxOf(area) : rest(use)))]
      : [],
  );
  // How far an area is off, where the match in force stands on it as it is marked here.
  const was = match?.kind === "areas" ? match.scene : null;
  const missOf = (pair: AreaPair) => {
    const { reference: one, angle: other } = pair;
    if (!was || !one || !other) return undefined;
    const marked = [boxOf(one), boxOf(other)].join();
    return was.misses[was.areas.findIndex((known) => known.join() === marked)];
  };
  const run = (by: "areas" | "picture" | "statistics") => {
    scene.run({ by, mix, areas: whole, frames: at, use });
    onClose();
  };
  const shown = [
    {
      side: "reference" as const,
      name: pin ? pin.name : names[0],
      url: pin
        ? `/api/pins/${pin.id}/picture?width=960&k=${pin.taken_as}-${pin.levels}`
        : pictureUrl(reference?.id ?? 0, at[0], 960),
    },
    {
      side: "angle" as const,
      name: names[1],
      url: pictureUrl(own?.id ?? 0, at[1], 960, "output", `${match?.number ?? 0}`),
    },
  ];
  return (
    <Dialog title="Areas in both pictures" onClose={onClose} wide="whole">
      <div className="grid grid-cols-2 gap-3">
        {shown.map(({ side, name, url }) => (
          <Marked
            key={side}
            name={name}
            url={url}
            drawn={areas.flatMap((pair, i) => {
              const area = pair[side];
              return area ? [{ number: i + 1, area }] : [];
            })}
            onArea={(area) => setAreas((now) => withArea(now, side, area))}
          />
        ))}
      </div>
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <p className="faint basis-full">
          {limits
            ? "Drag over parts of either picture."
            : "Drag over a thing in one picture, then over the same in the other, roughly. Eight of many colours are good, four are rough, two give white and exposure."}
        </p>
        <select
          className="select select-xs w-44"
          aria-label="What the areas are for"
          value={use}
          onChange={(e) => onSheet(() => ({ use: e.target.value as Use }))}
        >
          {USES.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <ul className="flex min-w-0 flex-1 flex-wrap gap-1" aria-label="Areas">
          {areas.map((pair, i) => {
            const miss = missOf(pair);
            return (
              // biome-ignore lint/suspicious/noArrayIndexKey: a pair is its number
              <li key={i} className="flex items-center gap-1">
                <button
                  type="button"
                  className="btn btn-xs"
                  title="Take this area out"
                  onClick={() => setAreas((now) => now.filter((_, k) => k !== i))}
                >
                  {i + 1}
                  {miss !== undefined && ` ΔE ${miss.toFixed(1)}`}
                  {!limits && !(pair.reference && pair.angle) && " in one only"} ×
                </button>
              </li>
            );
          })}
        </ul>
        <button
          type="button"
          className="btn btn-sm"
          disabled={whole.length === 0}
          title="From the colours of these parts as a whole: an estimate only"
          onClick={() => run("statistics")}
        >
          Estimate
        </button>
        <button
          type="button"
          className={`btn btn-sm ${limits ? "btn-primary" : ""}`}
          disabled={whole.length === 0}
          title="Places that both pictures show, and these areas"
          onClick={() => run("picture")}
        >
          {limits ? "Match from the picture" : "Picture and areas"}
        </button>
        {!limits && (
          <button
            type="button"
            className="btn btn-sm btn-primary"
            disabled={whole.length === 0}
            onClick={() => run("areas")}
          >
            Match by {whole.length} {whole.length === 1 ? "area" : "areas"}
          </button>
        )}
      </div>
    </Dialog>
  );
}

function Marked({
  name,
  url,
  drawn,
  onArea,
}: {
  name: string;
  url: string;
  drawn: { number: number; area: NonNullable<AreaPair[Side]> }[];
  onArea: (area: NonNullable<AreaPair[Side]>) => void;
}) {
  const [size, setSize] = useState({ id: 0, width: 960, height: 540 });
  return (
    <figure className="min-w-0">
      <figcaption className="mb-1 truncate">{name}</figcaption>
      <div className="relative">
        <img
          src={url}
          alt={name}
          className="block w-full"
          draggable={false}
          onLoad={({ currentTarget: { naturalWidth, naturalHeight } }) =>
            naturalWidth && setSize({ id: 0, width: naturalWidth, height: naturalHeight })
          }
        />
        <AreaOverlay clip={size} areas={drawn} isDrawing zoom={1} onArea={onArea} name={name} />
      </div>
    </figure>
  );
}

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
const areaOf = (id: number, [x, y, width, height]: Box) => ({ clip_id: id, x, y, width, height });

/** The same things, marked in the picture that is matched to and in the angle's. */
export function MarkAreas({
  scene,
  match,
  clips: [reference, own],
  frames,
  names,
  onClose,
}: {
  scene: Scene;
  match: Match | null;
  clips: Clips;
  frames: readonly [number, number];
  /** Of the reference's camera and the angle's. */
  names: readonly [string, string];
  onClose: () => void;
}) {
  const { pin } = scene;
  const was = match?.scene;
  // What the match in force stands on is there to be gone on with.
  const isSame = was !== undefined && was !== null && (pin ? was.pin?.uuid === pin.uuid : !was.pin);
  const at: [number, number] =
    isSame && was.areas.length ? was.area_frames : [pin ? 0 : frames[0], frames[1]];
  const [areas, setAreas] = useState<AreaPair[]>(
    isSame
      ? was.areas.map(([one, other]) => ({
          reference: areaOf(0, one),
          angle: areaOf(0, other),
          weight: 1,
        }))
      : [],
  );
  const [use, setUse] = useState<Use>(isSame ? was.area_use : "same");
  const limits = use !== "same";
  const whole = areas.flatMap((pair) =>
    limits || (pair.reference && pair.angle)
      ? [[pair.reference, pair.angle].map((area) => (area ? boxOf(area) : rest(use)))]
      : [],
  );
  const missOf = (index: number) => {
    const pair = areas[index];
    const known = was?.areas.findIndex(
      ([one, other]) =>
        pair?.reference &&
        pair.angle &&
        one.join() === boxOf(pair.reference).join() &&
        other.join() === boxOf(pair.angle).join(),
    );
    return isSame && match?.kind === "areas" && known !== undefined && known >= 0
      ? was.misses[known]
      : undefined;
  };
  const run = (by: "areas" | "picture" | "statistics") => {
    scene.run({ by, areas: whole, frames: at, use });
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
          onChange={(e) => setUse(e.target.value as Use)}
        >
          {USES.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <ul className="flex min-w-0 flex-1 flex-wrap gap-1" aria-label="Areas">
          {areas.map((pair, i) => {
            const miss = missOf(i);
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

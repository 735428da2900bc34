import { useEffect, useMemo, useRef } from "react";
import { useStore } from "zustand";
import type { Angle, Clip } from "@/api/client";
import { CameraMark } from "@/shared/Marks";
import { type HandStore, whenAtRest } from "./hand";
import { InTurn } from "./InTurn";
import { PictureCanvas } from "./PictureCanvas";
import { PicturePane } from "./PicturePane";
import type { PictureView, Label as ShownLabel } from "./pictureView";
import { type Shares, type Zoom, zoomText } from "./seen";
import { atSameTime } from "./timecode";
import type { BenchPlace } from "./useBenchPlace";
import { Wipe } from "./Wipe";

type Two<T> = readonly [T, T];
type Viewed = { view: PictureView; label: ShownLabel | null };

/** The reference and the angle: side by side, or one over the other with a wipe. */
export function Pictures({
  angle,
  clips,
  frames,
  views,
  hand,
  place,
  held,
  compared = null,
  tried = null,
  beside = false,
  layer,
  drawing,
  onPick,
  onPoint,
  onPlace,
}: {
  angle: Angle;
  clips: Two<Clip | undefined>;
  frames: Two<number>;
  views: Two<Viewed>;
  hand: HandStore;
  place: BenchPlace;
  held: boolean;
  /** The revision on the right, while two revisions stand beside each other. */
  compared?: number | null;
  /** The encoding that is tried on the right. */
  tried?: string | null;
  /** Whether the left shows the angle as it is stated, instead of the reference. */
  beside?: boolean;
  /** What lies over the reference's and the angle's picture. */
  layer?: (side: 0 | 1) => React.ReactNode;
  /** Whether a drag draws the region that the scopes are of. */
  drawing: boolean;
  onPick: (side: 0 | 1, at: [number, number]) => void;
  onPoint: (side: 0 | 1, at: [number, number] | null) => void;
  onPlace: (values: Record<string, string | number>) => void;
}) {
  const [reference, own] = [views[0].label, views[1].label];
  const inForce = angle.match ? `match ${angle.match.number}` : "as shot";
  const matched = compared !== null ? `match ${compared}` : own?.matched ? inForce : "as shot";
  const labels: Two<string> = [
    `${reference?.name ?? clips[0]?.name ?? "no clip"}${
      compared !== null ? `, ${inForce}, in force` : beside ? ", as stated" : ""
    }${reference ? shares(reference) : ""}`,
    held
      ? "the reference, held (R)"
      : own
        ? `${own.name}, ${tried ?? matched}${shares(own)}`
        : (clips[1]?.name ?? "no clip"),
  ];
  const ownBoth = compared !== null || beside;
  const surround = `surround-${place.surround}`;
  const commit = useCommit(onPlace);
  // What the address has caught up with is no longer under the hand.
  useEffect(() => {
    const now = hand.getState();
    const frames = now.frames.map((f, i) => (f === frameAt(place, i) ? null : f));
    hand.setState({
      frames: [frames[0] ?? null, frames[1] ?? null],
      at: now.at === place.at ? null : now.at,
      zoom: now.zoom && zoomText(now.zoom) === zoomText(place.zoom) ? null : now.zoom,
    });
  }, [hand, place]);
  const slider = (i: 0 | 1) => (
    <FrameSlider
      key={`${i}-${clips[i]?.id}`}
      clip={clips[i]}
      side={i}
      both={ownBoth}
      frame={frames[i]}
      hand={hand}
      name={i === 0 ? "Reference frame" : "Angle frame"}
      clips={(i === 0 && !ownBoth ? angle.reference : angle.angle).clips}
      onClip={(id) => onPlace(i === 0 && !ownBoth ? { rc: id, r: 0 } : { ac: id, f: 0 })}
      onChange={(frame) => {
        // Cameras whose clocks agree are looked at in the same moment.
        const there = ownBoth ? null : atSameTime(clips[i], frame, clips[1 - i]);
        const next: [number | null, number | null] = [...hand.getState().frames];
        next[ownBoth ? 1 : i] = frame;
        if (there !== null) next[1 - i] = there;
        hand.setState({ frames: next });
        commit({
          ...(next[0] === null ? {} : { r: next[0] }),
          ...(next[1] === null ? {} : { f: next[1] }),
        });
      }}
    />
  );
  const zoom = (next: Zoom) => {
    hand.setState({ zoom: next });
    commit({ z: zoomText(next) });
  };
  const region = (side: 0 | 1, drawn: Shares) =>
    onPlace({ [side === 0 ? "sr" : "sa"]: drawn.map((v) => v.toFixed(4)).join(",") });
  const pane = (side: 0 | 1, children: React.ReactNode) => (
    <PicturePane
      side={side}
      hand={hand}
      zoom={place.zoom}
      drawing={drawing}
      onZoom={zoom}
      onPick={onPick}
      onPoint={onPoint}
      onRegion={region}
    >
      {children}
    </PicturePane>
  );
  if (place.compare === "side")
    return (
      <div className="grid min-h-0 flex-1 grid-cols-2">
        {([0, 1] as const).map((i) => {
          const viewed = i === 1 && !held ? views[1] : views[0];
          const isReference = !ownBoth && (i === 0 || held);
          const side = isReference ? angle.reference : angle.angle;
          return (
            <div key={i} className={`rule flex min-h-0 flex-col ${i === 1 ? "border-l" : ""}`}>
              <div
                className={`${surround} relative flex min-h-0 flex-1 items-center justify-center`}
              >
                <Framed clip={i === 1 && !held ? clips[1] : clips[0]}>
                  {viewed.label &&
                    pane(
                      isReference ? 0 : 1,
                      <>
                        <One
                          view={viewed.view}
                          side={isReference ? 0 : 1}
                          hand={hand}
                          zoom={place.zoom}
                          label={labels[i]}
                        />
                        {!ownBoth && layer?.(isReference ? 0 : 1)}
                      </>,
                    )}
                </Framed>
                <Label letter={side.letter} reference={isReference} text={labels[i]} />
              </div>
              {slider(i)}
            </div>
          );
        })}
      </div>
    );
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className={`${surround} relative flex min-h-0 flex-1 items-center justify-center`}>
        {place.compare === "turn" ? (
          <InTurn held={held}>
            {(side) => (
              <>
                <Framed clip={clips[side]}>
                  {views[side].label &&
                    pane(
                      side,
                      <>
                        <One
                          view={views[side].view}
                          side={side}
                          hand={hand}
                          zoom={place.zoom}
                          label={labels[side]}
                        />
                        {!ownBoth && layer?.(side)}
                      </>,
                    )}
                </Framed>
                <Label
                  letter={(side === 0 && !ownBoth ? angle.reference : angle.angle).letter}
                  reference={side === 0 && !ownBoth}
                  text={labels[side]}
                />
              </>
            )}
          </InTurn>
        ) : (
          <>
            <Framed clip={clips[1]}>
              {reference && own && (
                <Wipe
                  reference={views[0].view}
                  own={views[held ? 0 : 1].view}
                  place={place}
                  hand={hand}
                  layer={ownBoth ? undefined : layer}
                  onZoom={zoom}
                  onPoint={onPoint}
                  onPlace={commit}
                />
              )}
            </Framed>
            <Label
              letter={(ownBoth ? angle.angle : angle.reference).letter}
              reference={!ownBoth}
              text={labels[0]}
            />
            <Label
              letter={held ? angle.reference.letter : angle.angle.letter}
              text={labels[1]}
              end
            />
          </>
        )}
      </div>
      <div className="grid grid-cols-2">
        {slider(0)}
        {slider(1)}
      </div>
    </div>
  );
}

const percent = (share: number) => `${(share * 100).toFixed(1)} %`;

/** What an SDR screen makes of an HDR picture: 203 nit is its reference white (BT.2408). */
export function hdrWords(white: number): string {
  const darker = Math.log2(white / 203);
  return darker < 0.01
    ? `HDR seen in SDR, clipped at ${Math.round(white)} nit`
    : `HDR seen in SDR, ${darker.toFixed(1)} stops darker: white is ${Math.round(white)} nit`;
}

/** What is hatched in the picture, in figures; and that an HDR picture is only seen in SDR. */
function shares(draft: ShownLabel): string {
  const out: string[] = [];
  if (draft.recorded) {
    const [r = 0, g = 0, b = 0] = draft.recorded;
    out.push(`clipped in R ${percent(r)}, G ${percent(g)}, B ${percent(b)}`);
  }
  if (draft.unseen !== null) out.push(`${percent(draft.unseen)} unseen`);
  if (draft.outside !== null)
    out.push(
      `${percent(draft.outside)} outside the gamut ╱, ${percent(draft.clipped ?? 0)} clipped ╲`,
    );
  if (draft.white !== null) out.push(hdrWords(draft.white));
  return out.map((text) => `, ${text}`).join("");
}

function Framed({ clip, children }: { clip: Clip | undefined; children: React.ReactNode }) {
  if (!clip) return <p className="faint">No clip of this camera in this light.</p>;
  // The largest box of the clip's shape that fits both ways.
  return (
    <div
      className="flex h-full w-full items-center justify-center"
      style={{ containerType: "size" }}
    >
      <div
        className="relative"
        style={{
          aspectRatio: `${clip.width} / ${clip.height}`,
          width: `min(100cqw, calc(100cqh * ${clip.width / clip.height}))`,
        }}
      >
        {children ?? null}
      </div>
    </div>
  );
}

const LIFTED = ["pointerup", "keyup", "pagehide"] as const;

/**
 * Put values into the address once they rest or the hand is lifted: what is under the hand changes
 * far more often.
 */
function useCommit(onPlace: (values: Record<string, string | number>) => void) {
  const latest = useRef(onPlace);
  latest.current = onPlace;
  const commit = useMemo(
    () => whenAtRest((values: Record<string, string | number>) => latest.current(values)),
    [],
  );
  useEffect(() => {
    for (const event of LIFTED) window.addEventListener(event, commit.now);
    return () => {
      for (const event of LIFTED) window.removeEventListener(event, commit.now);
      commit.cancel();
    };
  }, [commit]);
  return commit;
}

const frameAt = (place: BenchPlace, side: number) => place.frames[side === 0 ? 0 : 1];

function One({
  view,
  side,
  hand,
  zoom,
  label,
}: {
  view: PictureView;
  side: 0 | 1;
  hand: HandStore;
  zoom: Zoom;
  label: string;
}) {
  const parts = useMemo(() => [{ view, side }], [view, side]);
  return <PictureCanvas parts={parts} hand={hand} zoom={zoom} label={label} />;
}

function Label({
  letter,
  text,
  reference = false,
  end = false,
}: {
  letter: string;
  text: string;
  reference?: boolean;
  end?: boolean;
}) {
  return (
    <div
      className={`absolute top-2 flex items-center gap-2 rounded bg-base-200/85 px-2 py-1 ${end ? "right-2" : "left-2"}`}
    >
      <CameraMark letter={letter} reference={reference} size={20} />
      {text}
    </div>
  );
}

function FrameSlider({
  clip,
  side,
  both,
  frame,
  hand,
  name,
  clips,
  onChange,
  onClip,
}: {
  clip: Clip | undefined;
  side: 0 | 1;
  /** Whether both pictures are of the angle's clip, and go together. */
  both: boolean;
  frame: number;
  hand: HandStore;
  name: string;
  clips: readonly Clip[];
  onChange: (frame: number) => void;
  onClip: (id: number) => void;
}) {
  const last = (clip?.frame_count ?? 1) - 1;
  const at = useStore(hand, (now) => now.frames[both ? 1 : side]) ?? frame;
  return (
    <div className="flex h-7 items-center gap-3 bg-base-100 px-3">
      {clips.length > 1 && (
        <select
          className="select select-xs w-36"
          aria-label={`${name.replace(" frame", "")} clip`}
          value={clip?.id ?? ""}
          onChange={(event) => onClip(Number(event.target.value))}
        >
          {clips.map((c) => (
            <option key={c.id} value={c.id}>
              {c.name} {c.kind}
            </option>
          ))}
        </select>
      )}
      <span className="value w-24 whitespace-nowrap">
        frame {at + 1} / {last + 1}
      </span>
      <input
        type="range"
        className="range range-xs flex-1"
        aria-label={name}
        min={0}
        max={last}
        step={1}
        value={at}
        disabled={last < 1}
        onChange={(event) => onChange(Number(event.target.value))}
      />
    </div>
  );
}

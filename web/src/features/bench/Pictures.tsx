import { type KeyboardEvent, type PointerEvent, useMemo, useRef } from "react";
import type { Angle, Clip } from "@/api/client";
import { CameraMark } from "@/shared/Marks";
import { useAhead } from "@/shared/useAhead";
import { PictureCanvas } from "./PictureCanvas";
import { atSameTime } from "./timecode";
import type { BenchPlace } from "./useBenchPlace";
import type { Draft } from "./useDraft";

type Two<T> = readonly [T, T];

/** The reference and the angle: side by side, or one over the other with a wipe. */
export function Pictures({
  angle,
  clips,
  frames,
  drafts,
  place,
  held,
  compared = null,
  tried = null,
  beside = false,
  onPlace,
}: {
  angle: Angle;
  clips: Two<Clip | undefined>;
  frames: Two<number>;
  drafts: Two<Draft | null>;
  place: BenchPlace;
  held: boolean;
  /** The revision on the right, while two revisions stand beside each other. */
  compared?: number | null;
  /** The encoding that is tried on the right. */
  tried?: string | null;
  /** Whether the left shows the angle as it is stated, instead of the reference. */
  beside?: boolean;
  onPlace: (values: Record<string, string | number>) => void;
}) {
  const [reference, own] = drafts;
  const inForce = angle.match ? `match ${angle.match.number}` : "as shot";
  const matched = compared !== null ? `match ${compared}` : own?.matched ? inForce : "as shot";
  const labels: Two<string> = [
    `${reference?.clip ?? clips[0]?.name ?? "no clip"}${
      compared !== null ? `, ${inForce}, in force` : beside ? ", as stated" : ""
    }${reference ? shares(reference) : ""}`,
    held
      ? "the reference, held (R)"
      : own
        ? `${own.clip}, ${tried ?? matched}${shares(own)}`
        : (clips[1]?.name ?? "no clip"),
  ];
  const ownBoth = compared !== null || beside;
  const surround = `surround-${place.surround}`;
  const slider = (i: 0 | 1) => (
    <FrameSlider
      key={`${i}-${clips[i]?.id}`}
      clip={clips[i]}
      frame={frames[i]}
      name={i === 0 ? "Reference frame" : "Angle frame"}
      clips={(i === 0 && !ownBoth ? angle.reference : angle.angle).clips}
      onClip={(id) => onPlace(i === 0 && !ownBoth ? { rc: id, r: 0 } : { ac: id, f: 0 })}
      onChange={(frame) => {
        // Cameras whose clocks agree are looked at in the same moment.
        const there = atSameTime(clips[i], frame, clips[1 - i]);
        onPlace({
          [i === 0 ? "r" : "f"]: frame,
          ...(there === null ? {} : { [i === 0 ? "f" : "r"]: there }),
        });
      }}
    />
  );
  if (place.compare === "side")
    return (
      <div className="grid min-h-0 flex-1 grid-cols-2">
        {([0, 1] as const).map((i) => {
          const draft = i === 1 && !held ? own : reference;
          const isReference = !ownBoth && (i === 0 || held);
          const side = isReference ? angle.reference : angle.angle;
          return (
            <div key={i} className={`rule flex min-h-0 flex-col ${i === 1 ? "border-l" : ""}`}>
              <div
                className={`${surround} relative flex min-h-0 flex-1 items-center justify-center`}
              >
                <Framed clip={i === 1 && !held ? clips[1] : clips[0]}>
                  {draft && <One draft={draft} label={labels[i]} />}
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
        <Framed clip={clips[1]}>
          {reference && own && (
            <Wipe
              reference={reference}
              own={held ? reference : own}
              place={place}
              onPlace={onPlace}
            />
          )}
        </Framed>
        <Label
          letter={(ownBoth ? angle.angle : angle.reference).letter}
          reference={!ownBoth}
          text={labels[0]}
        />
        <Label letter={held ? angle.reference.letter : angle.angle.letter} text={labels[1]} end />
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
function shares(draft: Draft): string {
  const out: string[] = [];
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

function One({ draft, label }: { draft: Draft; label: string }) {
  const parts = useMemo(() => [{ picture: draft.picture }], [draft]);
  return <PictureCanvas parts={parts} label={label} />;
}

function Wipe({
  reference,
  own,
  place,
  onPlace,
}: {
  reference: Draft;
  own: Draft;
  place: BenchPlace;
  onPlace: (values: Record<string, string | number>) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const upright = place.compare === "upright";
  const [at, say] = useAhead(place.at);
  const go = (next: number) => {
    const rounded = Math.round(10 * Math.max(0, Math.min(100, next))) / 10;
    say(rounded);
    onPlace({ at: rounded });
  };
  const parts = useMemo(
    () => [
      { picture: reference.picture, clip: upright ? ("left" as const) : ("top" as const) },
      { picture: own.picture, clip: upright ? ("right" as const) : ("bottom" as const) },
    ],
    [reference, own, upright],
  );
  const move = (event: PointerEvent) => {
    const r = box.current?.getBoundingClientRect();
    if (!r) return;
    const share = upright ? (event.clientX - r.left) / r.width : (event.clientY - r.top) / r.height;
    go(100 * share);
  };
  const key = (event: KeyboardEvent) => {
    const back = event.key === "ArrowLeft" || event.key === "ArrowUp";
    if (!back && event.key !== "ArrowRight" && event.key !== "ArrowDown") return;
    event.preventDefault();
    const step = (event.shiftKey ? 0.2 : 2) * (back ? -1 : 1);
    go(at + step);
  };
  return (
    <div
      ref={box}
      className="h-full w-full"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        move(event);
      }}
      onPointerMove={(event) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) move(event);
      }}
    >
      <PictureCanvas parts={parts} at={at} label="Wipe of reference and angle" />
      <div
        role="slider"
        tabIndex={0}
        aria-label="Wipe"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={at}
        aria-orientation={upright ? "horizontal" : "vertical"}
        className="absolute bg-white/90 shadow-[0_0_0_1px_rgba(0,0,0,.5)]"
        onKeyDown={key}
        onDoubleClick={() => go(50)}
        style={
          upright
            ? { left: `${at}%`, top: 0, bottom: 0, width: 2, cursor: "ew-resize" }
            : { top: `${at}%`, left: 0, right: 0, height: 2, cursor: "ns-resize" }
        }
      />
    </div>
  );
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
  frame,
  name,
  clips,
  onChange,
  onClip,
}: {
  clip: Clip | undefined;
  frame: number;
  name: string;
  clips: readonly Clip[];
  onChange: (frame: number) => void;
  onClip: (id: number) => void;
}) {
  const last = (clip?.frame_count ?? 1) - 1;
  const [at, say] = useAhead(frame);
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
        onChange={(event) => {
          const next = Number(event.target.value);
          say(next);
          onChange(next);
        }}
      />
    </div>
  );
}

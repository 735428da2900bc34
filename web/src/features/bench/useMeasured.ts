import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useStore } from "zustand";
import type { Angle, Clip, Schemas, Tuner } from "@/api/client";
import { measureQuery } from "@/api/queries";
import { type HandStore, whenAtRest } from "./hand";
import { full, standing, type TrimStage } from "./trimParts";

export type Source = Schemas["MeasuredOut"]["sources"][number];

export const NO_AIM: Tuner = { exposure: 0, warmth: 0, tint: 0, contrast: 0, strength: 0 };

type Rested = { trim: TrimStage | null; clipTrim: TrimStage | null; frames: [number, number] };

/** What is under the hand, once it rests; a frame under the hand counts too. */
function useRestedTrim(hand: HandStore, frames: [number, number]): Rested {
  const [r, f] = frames;
  const read = (): Rested => {
    const now = hand.getState();
    return {
      trim: now.trim,
      clipTrim: now.clipTrim,
      frames: [now.frames[0] ?? r, now.frames[1] ?? f],
    };
  };
  const [rested, setRested] = useState(read);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what `read` reads is listed
  useEffect(() => {
    const settle = whenAtRest(() => setRested(read()), 150);
    settle();
    const stop = hand.subscribe(() => settle());
    return () => {
      settle.cancel();
      stop();
    };
  }, [hand, r, f]);
  return rested;
}

/**
 * The tuner on what is on screen: measured when the hand rests, with the trim that it was measured
 * under, so that needles can follow the hand meanwhile.
 */
export function useMeasured({
  angle,
  clips,
  frames,
  hand,
  kept,
  withMatch,
  source,
  withHues,
}: {
  angle: Angle;
  clips: readonly [Clip | undefined, Clip | undefined];
  frames: [number, number];
  hand: HandStore;
  /** The trim that is edited, as kept. */
  kept: { stage: TrimStage; forClip: boolean };
  withMatch: boolean;
  source: Source | null;
  /** Whether colours of both pictures are wanted on the plane of hue and chroma. */
  withHues: boolean;
}) {
  const rested = useRestedTrim(hand, frames);
  const [reference, own] = clips;
  const base =
    reference && own
      ? {
          clip_id: own.id,
          reference_clip_id: reference.id,
          frame: rested.frames[1],
          reference_frame: rested.frames[0],
          trim: rested.trim && full(rested.trim),
          clip_trim: rested.clipTrim && full(rested.clipTrim),
          with_match: withMatch,
          off: [],
          output: "",
          with_hues: withHues,
        }
      : null;
  const [light, camera] = [angle.light_id, angle.angle.camera_id];
  const found = useQuery(measureQuery(light, camera, base && { ...base, source }));
  const draft = useStore(hand, (now) => (kept.forClip ? now.clipTrim : now.trim));
  const at = (kept.forClip ? rested.clipTrim : rested.trim) ?? kept.stage;
  const [last, setLast] = useState<{
    tuner: Tuner | null;
    turn: Schemas["TurnOut"] | null;
    at: TrimStage;
    expected: Tuner | null;
  }>({ tuner: null, turn: null, at: kept.stage, expected: null });
  const isNew = found.data !== undefined && !found.isPlaceholderData;
  // biome-ignore lint/correctness/useExhaustiveDependencies: when there is a new measurement
  useEffect(() => {
    if (!isNew) return;
    setLast((before) => ({
      tuner: found.data?.tuner ?? null,
      turn: found.data?.turn ?? null,
      at,
      // Of another source, or of other pictures, nothing was expected.
      expected:
        before.tuner && JSON.stringify(full(before.at)) !== JSON.stringify(full(at))
          ? standing(before.tuner, before.at, at)
          : null,
    }));
  }, [isNew, found.data]);
  const now = draft ?? kept.stage;
  return {
    tuner: last.tuner,
    turn: last.turn,
    at: last.at,
    isFresh: isNew && JSON.stringify(full(last.at)) === JSON.stringify(full(now)),
    words: found.data?.words ?? "",
    source: found.data?.source ?? null,
    sources: found.data?.sources ?? [],
    pairs: found.data?.pairs ?? null,
    hues: found.data?.hues ?? null,
    aim: found.data?.aim ?? NO_AIM,
    /** Where the needles were expected at the last measurement, and it found them elsewhere. */
    expected: last.expected,
    error: found.error,
  };
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useStore } from "zustand";
import type { Angle, Clip } from "@/api/client";
import { api, unwrap } from "@/api/client";
import { afterChange, trimQuery } from "@/api/queries";
import type { HandStore } from "./hand";
import { full, NEUTRAL, type TrimStage } from "./trimParts";

/** The trim that the hand works on: the camera's in its light, or what the clip adds to it. */
export function useTrim(angle: Angle, clip: Clip | undefined, hand: HandStore, forClip: boolean) {
  const client = useQueryClient();
  const [light, camera] = [angle.light_id, angle.angle.camera_id];
  const both = useQuery(trimQuery(light, camera, clip?.id ?? 0)).data;
  const draft = useStore(hand, (now) => (forClip ? now.clipTrim : now.trim));
  const row = both?.[forClip ? "clip" : "light"];
  const kept: TrimStage = row?.stage ?? NEUTRAL;
  const now = draft ?? kept;
  const set = (next: TrimStage | null) =>
    hand.setState(forClip ? { clipTrim: next } : { trim: next });
  const path = { params: { path: { light_id: light, camera_id: camera } } };
  const done = async () => {
    await afterChange(client, "look");
    set(null);
  };
  const own = forClip && clip ? { clip_id: clip.id } : {};
  const keep = useMutation({
    mutationFn: ({ stage, how = "" }: { stage: TrimStage; how?: string }) =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/trim", {
          ...path,
          body: { stage: full(stage), base_number: row?.number ?? 0, how, ...own },
        }),
      ),
    onSuccess: done,
  });
  const carry = useMutation({
    mutationFn: (choice: "keep" | "left" | "drop") =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/trim/carry", {
          ...path,
          body: { choice, base_number: row?.number ?? 0, ...own },
        }),
      ),
    onSuccess: done,
  });
  return {
    row,
    matchNumber: both?.match_number ?? null,
    /** Numbers of the light's and the clip's trim that come to more together than one may be. */
    beyond: both?.beyond ?? [],
    kept,
    now,
    isDraft: draft !== null,
    isReady: row !== undefined,
    set,
    keep,
    carry,
    /** What it acts on, in words. */
    where: forClip
      ? `${clip?.name ?? "this clip"} alone`
      : `${angle.angle.letter} in ${angle.light_name}`,
  };
}

export type TrimUnderHand = ReturnType<typeof useTrim>;

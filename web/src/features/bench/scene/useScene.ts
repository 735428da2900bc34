import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { type Angle, api, type Schemas, unwrap } from "@/api/client";
import { afterChange, isOpen, jobsQuery, pinsQuery, spotsQuery } from "@/api/queries";
import { choiceOf, fitBody } from "@/shared/fitChoice";
import type { HandStore } from "../hand";
import { acrossOf, type Spot } from "./across";

type Way = Schemas["FromSceneIn"]["by"];
const NONE: Spot[] = [];
export type Clips = readonly [{ id: number } | undefined, { id: number } | undefined];

/** Matches without a chart: made by a job from the clips on screen, and the places they stand on. */
export function useScene(angle: Angle, clips: Clips, hand: HandStore) {
  const client = useQueryClient();
  const match = angle.match;
  const isOfPlaces = match?.kind === "picture";
  const spots = useQuery({ ...spotsQuery(match?.id ?? 0), enabled: isOfPlaces }).data;
  const jobs = useQuery(jobsQuery(angle.production_id)).data ?? [];
  const across = useMemo(() => (spots ? acrossOf(spots) : null), [spots]);
  useEffect(
    () => hand.setState({ across: isOfPlaces ? across : null }),
    [hand, across, isOfPlaces],
  );
  const pins = useQuery(pinsQuery(angle.production_id)).data ?? [];
  // What a person chose; before that what the match in force was made to.
  const [aimed, setAimed] = useState<number | null | undefined>(undefined);
  const pin = pins.find((p) =>
    aimed === undefined ? p.uuid === match?.scene?.pin?.uuid : p.id === aimed,
  );
  const make = useMutation({
    mutationFn: (body: {
      by: Way;
      left_out?: Spot["box"][];
      with_probes?: boolean;
      mix?: number;
      areas?: number[][][];
      frames?: [number, number];
      use?: "same" | "within" | "without";
    }) =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/matches/from-scene", {
          params: { path: { light_id: angle.light_id, camera_id: angle.angle.camera_id } },
          body: {
            left_out: [],
            with_probes: false,
            mix: 1,
            areas: [],
            frames: [0, 0],
            use: "same",
            ...body,
            clip_id: clips[1]?.id ?? null,
            reference_clip_id: clips[0]?.id ?? null,
            base_number: angle.base_number,
            pin_id: pin?.id ?? null,
          },
        }),
      ),
    onSuccess: () =>
      client.invalidateQueries({ queryKey: jobsQuery(angle.production_id).queryKey }),
  });
  const check = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/matches/{match_id}/check-scene", {
          params: { path: { match_id: match?.id ?? 0 } },
          body: { clip_id: clips[1]?.id ?? 0, reference_clip_id: clips[0]?.id ?? 0 },
        }),
      ),
    onSuccess: () =>
      client.invalidateQueries({ queryKey: jobsQuery(angle.production_id).queryKey }),
  });
  const steady = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/matches", {
          params: { path: { light_id: angle.light_id, camera_id: angle.angle.camera_id } },
          body: fitBody({ ...choiceOf(angle), withScene: true }, angle),
        }),
      ),
    onSettled: () => afterChange(client, "matching"),
  });
  const asked = check.data?.id ?? 0;
  const job = jobs.find((j) => j.id === Math.max(make.data?.id ?? 0, asked));
  const running =
    make.isPending || check.isPending || steady.isPending || (job !== undefined && isOpen(job));
  const out = match?.scene?.left_out ?? [];
  const [shown, setShown] = useState(true);
  const flip = (spot: Spot) => {
    if (running || !match?.scene) return;
    const key = spot.box.join();
    const rest = out.filter((box) => box.join() !== key);
    make.mutate({
      by: "picture",
      left_out: rest.length < out.length ? rest : [...out, spot.box],
      with_probes: match.scene.probes > 0,
      areas: match.scene.areas,
      frames: match.scene.area_frames,
      use: match.scene.area_use,
    });
  };
  // The same for ever: hundreds of marks hold it.
  const latest = useRef(flip);
  useEffect(() => {
    latest.current = flip;
  });
  const toggle = useCallback((spot: Spot) => latest.current(spot), []);
  return {
    /** Whether the places are shown over the pictures. */
    shown,
    show: setShown,
    spots: (isOfPlaces && spots) || NONE,
    run: make.mutate,
    /** The pin that is matched to; without one the reference's clip. */
    pin,
    aim: setAimed,
    running,
    step: running ? (job?.step ?? "Looking …") : "",
    error: make.error ?? check.error ?? steady.error,
    compare: () => check.mutate(),
    /** Fit the charts again, with the colours of the scenes that were compared beside them. */
    steady: () => steady.mutate(),
    problem: running ? null : (job?.problem ?? null),
    /** Take a place out, or back in; the match is fitted again. */
    toggle,
  };
}

export type Scene = ReturnType<typeof useScene>;

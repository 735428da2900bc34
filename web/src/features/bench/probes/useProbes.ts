import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState, useSyncExternalStore } from "react";
import type { Angle, Clip, Schemas } from "@/api/client";
import { api, unwrap } from "@/api/client";
import { afterChange, probesQuery } from "@/api/queries";
import type { Hand, HandStore } from "../hand";
import { full } from "../trimParts";
import { type LookedAt, pointReader, probeReader } from "./reader";

export type Probe = Schemas["ProbeOut"];
export type Place = { frame: number; x: number; y: number; size?: number };
type Clips = readonly [Clip | undefined, Clip | undefined];

/** What both pictures show, with what is under the hand, as the server takes it. */
export function lookedAt(
  clips: Clips,
  hand: Hand,
  view: { withMatch: boolean; off: readonly string[]; output: string },
): LookedAt | null {
  const [base, own] = clips;
  if (!base || !own) return null;
  const off = [...new Set([...view.off, ...(hand.isBefore ? ["trim"] : [])])];
  return {
    clip_id: own.id,
    reference_clip_id: base.id,
    trim: hand.trim && full(hand.trim),
    clip_trim: hand.clipTrim && full(hand.clipTrim),
    dials: hand.dials,
    look: hand.look ?? null,
    off: off as NonNullable<LookedAt["off"]>,
    output: view.output,
    with_match: view.withMatch,
  };
}

/** The probes of a light: kept, joined, read after every stage while the hand moves. */
export function useProbes({
  angle,
  clips,
  frames,
  hand,
  view,
  isShown,
}: {
  angle: Angle;
  clips: Clips;
  frames: readonly [number, number];
  hand: HandStore;
  view: { withMatch: boolean; off: readonly string[]; output: string };
  /** Whether both pictures are reference and angle, so that there is something to compare. */
  isShown: boolean;
}) {
  const client = useQueryClient();
  const [light, camera] = [angle.light_id, angle.angle.camera_id];
  const list = useQuery(probesQuery(light)).data;
  const [reader] = useState(probeReader);
  const [points] = useState(pointReader);
  const [chosen, setChosen] = useState<number | null>(null);
  // A probe of one picture that the next click in the other joins.
  const open = useRef<{ id: number; side: 0 | 1; size: number } | null>(null);
  const under = useRef<{ side: 0 | 1; at: [number, number] } | null>(null);
  const ids = `${clips[0]?.id} ${clips[1]?.id}`;
  const stands = `${clips.map((c) => (c && "stand" in c ? c.stand : "")).join(" ")}`;
  const viewed = JSON.stringify(view);
  // biome-ignore lint/correctness/useExhaustiveDependencies: clips, list and view by what they hold
  useEffect(() => {
    const ask = (again = false) => {
      const seen = isShown ? lookedAt(clips, hand.getState(), view) : null;
      if (seen && list?.length) reader.ask({ light, camera, seen }, again);
      else reader.clear();
    };
    ask(true);
    const stop = hand.subscribe((now, before) => {
      if (now.frames === before.frames && now.zoom === before.zoom && now.at === before.at) ask();
    });
    return stop;
  }, [reader, hand, light, camera, ids, stands, viewed, list, isShown]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was begun on other clips
  useEffect(() => {
    open.current = null;
    under.current = null;
    points.clear();
  }, [ids, points]);
  const done = async () => {
    await client.invalidateQueries({ queryKey: ["probes", light] });
    await afterChange(client, "look");
  };
  const make = useMutation({
    mutationFn: ({ side, place }: { side: 0 | 1; place: Place }) => {
      const clip = clips[side] as Clip;
      const places = [{ size: 0.015, ...place, clip_id: clip.id }];
      // Where matched places say what the other picture shows there, it is kept in both.
      const other = side === 0 ? 1 : 0;
      const there = clips[other] && hand.getState().across?.(side, [place.x, place.y]);
      if (there) {
        const frame = hand.getState().frames[other] ?? frames[other];
        const [x, y] = there;
        places.push({ size: 0.015, frame, x, y, clip_id: (clips[other] as Clip).id });
      }
      return unwrap(
        api.POST("/api/lights/{light_id}/probes", {
          params: { path: { light_id: light } },
          body: { name: "", places },
        }),
      );
    },
    onSuccess: async (made, { side }) => {
      const isOpen = made.places.length === 1;
      open.current = isOpen ? { id: made.id, side, size: made.places[0]?.size ?? 0.015 } : null;
      setChosen(made.id);
      await done();
    },
  });
  const change = useMutation({
    mutationFn: ({ id, ...body }: { id: number } & Partial<Schemas["ProbeChangeIn"]>) =>
      unwrap(
        api.PATCH("/api/probes/{probe_id}", {
          params: { path: { probe_id: id } },
          body: body as Schemas["ProbeChangeIn"],
        }),
      ),
    onSuccess: done,
  });
  // Clicks that come while one is being kept wait for it, so that the second joins the first.
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  /** The chosen probe, where it has a place in the other picture and none in this one. */
  const lacking = (side: 0 | 1) => {
    const probe = list?.find((p) => p.id === chosen);
    const has = (i: 0 | 1) => probe?.places.find((p) => p.clip_id === clips[i]?.id);
    const there = has(side === 0 ? 1 : 0);
    if (!probe || !there || has(side)) return null;
    return { id: probe.id, side: side === 0 ? (1 as const) : (0 as const), size: there.size };
  };
  const pick = (side: 0 | 1, [x, y]: [number, number]) => {
    const clip = clips[side];
    if (!clip || !isShown || x < 0 || x > 1 || y < 0 || y > 1) return;
    const frame = hand.getState().frames[side] ?? frames[side];
    const one = async () => {
      const begun = open.current ?? lacking(side);
      if (begun && begun.side !== side) {
        open.current = null;
        const place = { clip_id: clip.id, frame, x, y, size: begun.size };
        await change.mutateAsync({ id: begun.id, places: [place] });
      } else await make.mutateAsync({ side, place: { frame, x, y } });
    };
    // What went wrong is told from the mutation itself.
    queue.current = queue.current.then(one).catch(() => undefined);
  };
  const isIn = (probe: Probe, i: 0 | 1) => probe.places.some((p) => p.clip_id === clips[i]?.id);
  return {
    list: list ?? [],
    /** How many have a place in both clips on screen. */
    shared: (list ?? []).filter((p) => isIn(p, 0) && isIn(p, 1)).length,
    reader,
    points,
    chosen,
    choose: setChosen,
    pick,
    /** Keep a sample of what the pointer is at. */
    pickUnder: () => under.current && pick(under.current.side, under.current.at),
    /** The next click begins a probe of its own. */
    letGo: () => {
      open.current = null;
      setChosen(null);
    },
    point: (side: 0 | 1, at: [number, number] | null) => {
      under.current = at && { side, at };
      const seen = lookedAt(clips, hand.getState(), view);
      const isIn = at?.every((v) => v >= 0 && v < 1);
      if (!at || !isIn || !seen || !isShown) {
        points.clear();
        return;
      }
      const frame = hand.getState().frames[side] ?? frames[side];
      const name = side === 0 ? ("reference" as const) : ("angle" as const);
      points.ask({ light, camera, seen, point: { side: name, frame, at, size: 0 } });
    },
    move: (probe: Probe, clip: Clip, place: Place) => {
      const was = probe.places.find((p) => p.clip_id === clip.id);
      if (was) change.mutate({ id: probe.id, places: [{ ...was, ...place }] });
    },
    change: change.mutate,
    error: make.error ?? change.error,
  };
}

export type Probes = ReturnType<typeof useProbes>;

/** What the probes say now, under the hand too. */
export function useRead(probes: Probes) {
  return useReading(probes).data ?? NONE;
}

/** The same, with what stood in its way: media that are missing, for one. */
export function useReading(probes: Probes) {
  return useSyncExternalStore(probes.reader.subscribe, probes.reader.getSnapshot);
}

const NONE: never[] = [];

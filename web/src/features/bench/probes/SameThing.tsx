import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Angle, ClipRow, Schemas } from "@/api/client";
import { api, unwrap } from "@/api/client";
import { afterChange, boardQuery, clipsQuery, pictureUrl, probesQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { CameraMark } from "@/shared/Marks";
import { signed } from "@/shared/Tuner";
import { nameOf } from "./ProbesLayer";

type Done = Schemas["SetOut"];

/** The same wall in several clips of a light: picked once in each, all set in one go. */
export function SameThing({
  angle,
  probe,
  onClose,
}: {
  angle: Angle;
  probe: { id: number; name: string; number: number };
  onClose: () => void;
}) {
  const client = useQueryClient();
  const light = angle.light_id;
  const filter = { light_id: light, most: 60 };
  const rows = useQuery(clipsQuery(angle.production_id, filter)).data?.clips ?? [];
  const cameras = useQuery(boardQuery(angle.production_id)).data?.cameras ?? [];
  const places = useQuery(probesQuery(light)).data?.find((p) => p.id === probe.id)?.places ?? [];
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const [to, setTo] = useState<"reference" | "neutral">("reference");
  const [forClips, setForClips] = useState(false);
  const reference = angle.reference.camera_id;
  const placed = new Map(places.map((p) => [p.clip_id, p]));
  const targets = rows.filter(
    (c) => placed.has(c.id) && !left.has(c.id) && c.camera_id !== reference,
  );
  const isDouble = new Set(targets.map((c) => c.camera_id)).size < targets.length;
  const refresh = async () => {
    await client.invalidateQueries({ queryKey: ["probes", light] });
    await afterChange(client, "look");
  };
  const place = useMutation({
    mutationFn: ({ clip, x, y }: { clip: ClipRow; x: number; y: number }) =>
      unwrap(
        api.PATCH("/api/probes/{probe_id}", {
          params: { path: { probe_id: probe.id } },
          body: {
            places: [
              {
                clip_id: clip.id,
                frame: placed.get(clip.id)?.frame ?? 0,
                x,
                y,
                size: places[0]?.size ?? 0.015,
              },
            ],
            without: [],
          },
        }),
      ),
    onSuccess: refresh,
  });
  const apply = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/probes/{probe_id}/set-white", {
          params: { path: { probe_id: probe.id } },
          body: { clip_ids: targets.map((c) => c.id), to, for_clips: forClips || isDouble },
        }),
      ),
    onSuccess: refresh,
  });
  return (
    <Dialog title={`${nameOf(probe)} in the clips of ${angle.light_name}`} onClose={onClose} wide>
      <p className="faint mb-2">Click the same thing in each clip that shows it.</p>
      <div className="grid max-h-[52vh] grid-cols-4 gap-2 overflow-y-auto">
        {rows.map((clip) => {
          const at = placed.get(clip.id);
          return (
            <figure key={clip.id}>
              <button
                type="button"
                className="relative block w-full cursor-crosshair"
                aria-label={`Place in ${clip.name}`}
                onClick={(event) => {
                  const r = event.currentTarget.getBoundingClientRect();
                  place.mutate({
                    clip,
                    x: (event.clientX - r.left) / r.width,
                    y: (event.clientY - r.top) / r.height,
                  });
                }}
              >
                <img
                  src={pictureUrl(clip.id, at?.frame ?? 0, 320, "output", `${apply.submittedAt}`)}
                  alt={clip.name}
                  className="block w-full"
                />
                {at && (
                  <span
                    className="pointer-events-none absolute size-3 -translate-x-1/2 -translate-y-1/2 rounded-full border border-white shadow-[0_0_0_1px_#000]"
                    style={{ left: `${100 * at.x}%`, top: `${100 * at.y}%` }}
                  />
                )}
              </button>
              <figcaption className="flex items-center gap-1.5 text-2xs">
                <CameraMark
                  letter={cameras.find((c) => c.id === clip.camera_id)?.letter ?? "?"}
                  reference={clip.camera_id === reference}
                  size={14}
                />
                <span className="truncate">{clip.name}</span>
                {clip.camera_id !== reference && (
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs ml-auto"
                    aria-label={`Set ${clip.name}`}
                    disabled={!at}
                    checked={at !== undefined && !left.has(clip.id)}
                    onChange={(e) => {
                      const next = new Set(left);
                      e.target.checked ? next.delete(clip.id) : next.add(clip.id);
                      setLeft(next);
                    }}
                  />
                )}
              </figcaption>
            </figure>
          );
        })}
      </div>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <select
          className="select select-sm w-44"
          aria-label="What it becomes"
          value={to}
          onChange={(e) => setTo(e.target.value as typeof to)}
        >
          <option value="reference">as in the reference</option>
          <option value="neutral">neutral</option>
        </select>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={forClips || isDouble}
            disabled={isDouble}
            onChange={(e) => setForClips(e.target.checked)}
          />
          what each clip adds{isDouble ? ": there are several of one camera" : ""}
        </label>
        <button
          type="button"
          className="btn btn-sm btn-primary"
          disabled={!targets.length || apply.isPending}
          onClick={() => apply.mutate()}
        >
          Set {targets.length} {targets.length === 1 ? "clip" : "clips"}
        </button>
      </div>
      {apply.isError || place.isError ? <Problem error={apply.error ?? place.error} /> : null}
      {apply.data && (
        <ul className="mt-2" role="status">
          {apply.data.map((one: Done) => (
            <li key={one.clip_id}>
              {one.where}: {signed(one.stops, 2)} stop, {signed(one.warmth, 0)} mired,{" "}
              {signed(one.tint, 1)} tint
            </li>
          ))}
          <li className="faint">Each is a step of its own to undo.</li>
        </ul>
      )}
    </Dialog>
  );
}

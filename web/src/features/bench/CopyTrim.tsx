import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Angle, Schemas } from "@/api/client";
import { api, unwrap } from "@/api/client";
import { requestDraft, SESSION } from "@/api/draft";
import { afterChange, boardQuery, trimQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { CameraMark } from "@/shared/Marks";
import { full, isNeutral, only, PARTS, type Part, type TrimStage } from "./trimParts";

type Cell = Schemas["CellOut"];

/** Copies exactly the ticked parts of the kept trim to exactly the ticked places, seen before. */
export function CopyTrim({
  angle,
  stage,
  clipId,
  onClose,
}: {
  angle: Angle;
  /** As it is kept: what is under the hand is kept first. */
  stage: TrimStage;
  /** Copy what this clip adds, instead of the light's trim. */
  clipId: number | null;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const board = useQuery(boardQuery(angle.production_id)).data;
  const set = PARTS.filter((part) => !isNeutral(stage, part));
  const [parts, setParts] = useState<readonly Part[]>(set);
  const [to, setTo] = useState<readonly Cell[]>([]);
  const copy = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/trim/copy", {
          params: { path: { light_id: angle.light_id, camera_id: angle.angle.camera_id } },
          body: {
            parts: [...parts],
            clip_id: clipId,
            to: to.map((c) => ({ light_id: c.light_id, camera_id: c.camera_id, clip_id: null })),
          },
        }),
      ),
    onSuccess: async () => {
      await afterChange(client, "look");
      onClose();
    },
  });
  const lights = new Map(board?.lights.map((l) => [l.id, l.name]));
  const cameras = new Map(board?.cameras.map((c) => [c.id, c]));
  const cells = (board?.cells ?? []).filter(
    (c) =>
      c.clip &&
      c.state !== "reference" &&
      !(c.light_id === angle.light_id && c.camera_id === angle.angle.camera_id),
  );
  const toggle = <T,>(list: readonly T[], one: T, on: boolean) =>
    on ? [...list, one] : list.filter((v) => v !== one);
  return (
    <Dialog
      title={`Copy the trim of ${angle.angle.letter} in ${angle.light_name}`}
      onClose={onClose}
      wide
    >
      <fieldset className="flex flex-wrap items-center gap-3">
        <legend className="faint mb-1">Parts: these and no others</legend>
        {PARTS.map((part) => (
          <label key={part} className="flex items-center gap-1 capitalize">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              disabled={!set.includes(part)}
              checked={parts.includes(part)}
              onChange={(e) => setParts(toggle(parts, part, e.target.checked))}
            />
            {part}
          </label>
        ))}
      </fieldset>
      <p className="faint mt-3 mb-1">To the trim of, as it would look:</p>
      <div className="grid max-h-80 grid-cols-4 gap-2 overflow-y-auto">
        {cells.map((cell) => {
          const camera = cameras.get(cell.camera_id);
          const name = `${camera?.letter ?? "?"} in ${lights.get(cell.light_id) ?? "?"}`;
          return (
            <label key={`${cell.light_id} ${cell.camera_id}`} className="flex flex-col gap-1">
              <Preview cell={cell} stage={to.includes(cell) ? stage : null} parts={parts} />
              <span className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  aria-label={name}
                  checked={to.includes(cell)}
                  onChange={(e) => setTo(toggle(to, cell, e.target.checked))}
                />
                <CameraMark letter={camera?.letter ?? "?"} size={16} />
                <span className="truncate">{lights.get(cell.light_id)}</span>
              </span>
            </label>
          );
        })}
      </div>
      {copy.isError && <Problem error={copy.error} />}
      <div className="mt-3 flex items-center gap-3">
        <button
          type="button"
          className="btn btn-sm btn-primary"
          disabled={!parts.length || !to.length || copy.isPending}
          onClick={() => copy.mutate()}
        >
          Copy {parts.length} {parts.length === 1 ? "part" : "parts"} to {to.length}
        </button>
        <span className="faint">One step to undo.</span>
      </div>
    </Dialog>
  );
}

/** A place's picture as it is, or as it would be with the parts. */
function Preview({
  cell,
  stage,
  parts,
}: {
  cell: Cell;
  stage: TrimStage | null;
  parts: readonly Part[];
}) {
  const own = useQuery(trimQuery(cell.light_id, cell.camera_id, 0)).data?.light.stage;
  const [url, setUrl] = useState<string | null>(null);
  const clip = cell.clip?.id ?? 0;
  const text = own ? JSON.stringify(stage ? only(stage, parts, own) : own) : "";
  useEffect(() => {
    if (!text) return;
    let address: string | null = null;
    let isGone = false;
    const ask = {
      session: SESSION,
      view: `copy-${cell.light_id}-${cell.camera_id}`,
      sequence: Date.now(),
      scopes: [],
      subject: { kind: "clip" as const, id: clip },
      stand: cell.stand,
      frame: 0,
      width: 320,
      overrides: { trim: full(JSON.parse(text) as TrimStage) },
      mark: "" as const,
      whole: false,
    };
    void requestDraft(ask)
      .then((found) => {
        if (!found || found === "busy" || isGone) return;
        address = URL.createObjectURL(found.jpeg);
        setUrl(address);
      })
      .catch(() => undefined);
    return () => {
      isGone = true;
      if (address) URL.revokeObjectURL(address);
    };
  }, [text, clip, cell.light_id, cell.camera_id, cell.stand]);
  return (
    <img src={url ?? undefined} alt="" className="aspect-video w-full bg-black object-cover" />
  );
}

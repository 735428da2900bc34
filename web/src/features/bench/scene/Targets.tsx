import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, fileBody, type Schemas, unwrap } from "@/api/client";
import { afterChange, densitiesQuery, encodingsQuery, pinsQuery } from "@/api/queries";
import { Problem } from "@/shared/Feedback";
import type { Clips, Scene } from "./useScene";

type Pin = Schemas["PinOut"];
type Change = Schemas["PinChangeIn"];

/** What the angle is matched to: the reference's clip, a pinned frame, or a still from elsewhere. */
export function Targets({
  production,
  clips: [reference],
  frame,
  reference: name,
  scene,
}: {
  production: number;
  clips: Clips;
  /** The reference's frame on screen. */
  frame: number;
  reference: string;
  scene: Scene;
}) {
  const client = useQueryClient();
  const pins = useQuery(pinsQuery(production)).data ?? [];
  const { pin, aim: onChoose } = scene;
  const file = useRef<HTMLInputElement>(null);
  const onKept = async (made: Pin) => {
    await client.invalidateQueries({ queryKey: pinsQuery(production).queryKey });
    client.invalidateQueries({ queryKey: ["history"] });
    onChoose(made.id);
  };
  const path = { path: { production_id: production } };
  const keep = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/pins", {
          params: path,
          body: { clip_id: reference?.id ?? 0, frame, name: "" },
        }),
      ),
    onSuccess: onKept,
  });
  const bring = useMutation({
    mutationFn: (still: File) =>
      unwrap(
        api.POST("/api/productions/{production_id}/stills", { params: path, ...fileBody(still) }),
      ),
    onSuccess: onKept,
  });
  const change = useMutation({
    mutationFn: ({ id, ...body }: Partial<Change> & { id: number }) =>
      unwrap(
        api.PATCH("/api/pins/{pin_id}", {
          params: { path: { pin_id: id } },
          body: body as Change,
        }),
      ),
    onSuccess: (row, asked) => {
      if (asked.is_put_away) onChoose(null);
      client.setQueryData(pinsQuery(production).queryKey, (rows) =>
        rows?.map((r) => (r.id === row.id ? row : r)),
      );
      afterChange(client);
    },
  });
  const error = keep.error ?? bring.error ?? change.error;
  return (
    <div className="flex flex-wrap items-center gap-2">
      <label className="flex items-center gap-1.5">
        <span className="faint whitespace-nowrap">Match to</span>
        <select
          className="select select-xs max-w-56"
          aria-label="Match to"
          value={pin ? pin.id : ""}
          onChange={(e) => onChoose(e.target.value ? Number(e.target.value) : null)}
        >
          <option value="">{name}, the reference</option>
          {pins.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
      </label>
      <button
        type="button"
        className="btn btn-xs"
        disabled={!reference || keep.isPending}
        title="Keep the reference's frame on screen as it stands, to match to in other lights and later"
        onClick={() => keep.mutate()}
      >
        Pin this frame
      </button>
      <button
        type="button"
        className="btn btn-xs"
        disabled={bring.isPending}
        title="A graded still, a still of another day, or a film scan: PNG, TIFF, EXR, DPX or JPEG"
        onClick={() => file.current?.click()}
      >
        Bring a still …
      </button>
      <input
        ref={file}
        type="file"
        className="hidden"
        aria-label="A still to match to"
        accept=".png,.tif,.tiff,.exr,.dpx,.jpg,.jpeg"
        onChange={(e) => {
          const still = e.target.files?.[0];
          if (still) bring.mutate(still);
          e.target.value = "";
        }}
      />
      {error && <Problem error={error} />}
      {pin && (
        <Chosen
          production={production}
          pin={pin}
          onChange={(body) => change.mutate({ id: pin.id, ...body })}
        />
      )}
    </div>
  );
}

/** The pin that is matched to: how it looks, and what it is taken as. */
function Chosen({
  production,
  pin,
  onChange,
}: {
  production: number;
  pin: Pin;
  onChange: (change: Partial<Change>) => void;
}) {
  const encodings = useQuery(encodingsQuery(production)).data ?? [];
  const film = useQuery(densitiesQuery()).data ?? {};
  const isStill = pin.clip_id === null;
  return (
    <div className="flex basis-full items-center gap-2">
      <img
        src={`/api/pins/${pin.id}/picture?width=240&k=${pin.taken_as}-${pin.levels}`}
        alt={pin.name}
        className="rule h-12 border"
      />
      <span className="faint whitespace-nowrap">
        {isStill ? "taken as" : `frame ${pin.frame + 1}, ${pin.taken_words}`}
      </span>
      {isStill && (
        <select
          className="select select-xs min-w-0 flex-1"
          aria-label={`${pin.name} is taken as`}
          value={pin.taken_as}
          onChange={(e) => onChange({ taken_as: e.target.value })}
        >
          {pin.has_profile && <option value="profile">Its ICC profile {pin.profile_name}</option>}
          <optgroup label="Film scans">
            {Object.entries(film).map(([slug, name]) => (
              <option key={slug} value={slug}>
                {name}
              </option>
            ))}
          </optgroup>
          <optgroup label="Encodings">
            {encodings.map((e) => (
              <option key={e.slug} value={e.slug}>
                {e.name}
              </option>
            ))}
          </optgroup>
        </select>
      )}
      <button
        type="button"
        className="btn btn-xs"
        aria-label={`Take ${pin.name} out of the pins`}
        title="Undo brings it back"
        onClick={() => onChange({ is_put_away: true })}
      >
        Take out
      </button>
    </div>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, unwrap } from "@/api/client";
import { afterChange, takeAsQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Loading, Problem } from "@/shared/Feedback";

type Scope = Schemas["TakeAsIn"]["scope"];

/** Take clips as another encoding: of which clips, and what it moves, before it is done. */
export function TakeAs({
  clip,
  encoding,
  name,
  levels,
  letter,
  light,
  base,
  onClose,
  onDone,
}: {
  clip: { id: number; name: string };
  encoding: string;
  /** The encoding's published designation. */
  name: string;
  levels: "full" | "legal";
  letter: string;
  light: string;
  base: number;
  onClose: () => void;
  onDone?: () => void;
}) {
  const client = useQueryClient();
  const [scope, setScope] = useState<Scope>("light");
  const wanted = { encoding, levels, scope };
  const found = useQuery(takeAsQuery(clip.id, wanted));
  const take = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/clips/{clip_id}/take-as", {
          params: { path: { clip_id: clip.id } },
          body: { ...wanted, base },
        }),
      ),
    onSuccess: async () => {
      await afterChange(client);
      onDone?.();
      onClose();
    },
  });
  const scopes: [Scope, string][] = [
    ["clip", `${clip.name} only`],
    ["light", `${letter}'s clips in ${light} that are taken as ${clip.name} is now`],
    ["camera", `camera ${letter} everywhere`],
  ];
  return (
    <Dialog title={`Take ${letter} as ${name}, ${levels} levels`} onClose={onClose}>
      <fieldset className="mb-3 flex flex-col gap-1">
        <legend className="faint mb-1">Which clips</legend>
        {scopes.map(([key, text]) => (
          <label key={key} className="flex cursor-pointer items-center gap-2">
            <input
              type="radio"
              name="scope"
              className="radio radio-xs"
              checked={scope === key}
              onChange={() => setScope(key)}
            />
            {text}
          </label>
        ))}
      </fieldset>
      {found.isPending && <Loading what="Trying it on the matches that stand on these clips" />}
      {found.isError && <Problem error={found.error} />}
      {found.data && <Moves found={found.data} />}
      {take.isError && <Problem error={take.error} />}
      <div className="mt-3 flex justify-end gap-2">
        <button type="button" className="btn btn-sm" onClick={onClose}>
          Leave as it is
        </button>
        <button
          type="button"
          className="btn btn-sm btn-primary"
          disabled={take.isPending}
          onClick={() => take.mutate()}
        >
          Take {found.data?.clips.length === 1 ? "it" : "them"} so
        </button>
      </div>
    </Dialog>
  );
}

function Moves({ found }: { found: Schemas["WouldTakeOut"] }) {
  const { clips, matches } = found;
  return (
    <div aria-live="polite">
      <p title={clips.join(", ")}>
        {clips.length} {clips.length === 1 ? "clip" : "clips"}:{" "}
        <span className="faint">
          {clips.slice(0, 4).join(", ")}
          {clips.length > 4 && ` and ${clips.length - 4} more`}
        </span>
      </p>
      {matches.length === 0 ? (
        <p className="faint">No match stands on them.</p>
      ) : (
        <table className="mt-2 w-full">
          <thead className="faint text-left">
            <tr>
              <th className="font-normal">Fitted again</th>
              <th className="text-right font-normal">ΔE now</th>
              <th className="text-right font-normal">ΔE after</th>
            </tr>
          </thead>
          <tbody>
            {matches.map((m) => (
              <tr key={`${m.camera} ${m.light}`} className="rule border-t">
                <td className="py-0.5">
                  {m.camera} in {m.light}
                </td>
                <td className="value text-right">{m.now?.toFixed(2) ?? "–"}</td>
                <td className="value text-right" title={m.problem}>
                  {m.after?.toFixed(2) ?? "cannot be fitted"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

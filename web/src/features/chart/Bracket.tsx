import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Clip, type Schemas, type Side, toProblem, unwrap } from "@/api/client";
import { afterChange } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";

type Row = { clip: Clip; isIn: boolean; stops: string };

/** Several recordings of one chart read as one; the first is the exposure that the match is for. */
export function Bracket({
  side,
  lightId,
  layout,
  onClose,
}: {
  side: Side;
  lightId: number;
  layout: Schemas["LayoutOut"];
  onClose: () => void;
}) {
  const client = useQueryClient();
  const charts = side.clips.filter((c) => c.kind === "chart");
  const [rows, setRows] = useState<Row[]>(() =>
    charts.map((clip, i) => ({ clip, isIn: true, stops: i === 0 ? "0" : "" })),
  );
  const change = (i: number, what: Partial<Row>) =>
    setRows(rows.map((row, k) => (k === i ? { ...row, ...what } : row)));
  const taken = rows.filter((row) => row.isIn);
  const merge = useMutation({
    mutationFn: async () => {
      const base = Number(taken[0]?.stops || 0);
      const parts: Schemas["PartIn"][] = [];
      for (const row of taken)
        parts.push({
          reading_id: await readingOf(row.clip, side, layout.slug),
          stops: row.stops === "" ? null : Number(row.stops) - base,
        });
      return unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/readings/merge", {
          params: { path: { light_id: lightId, camera_id: side.camera_id } },
          body: { parts },
        }),
      );
    },
    onSettled: () => afterChange(client, "matching"),
  });
  const made = merge.data;
  return (
    <Dialog title={`${side.letter}'s charts, read as one`} onClose={onClose} wide>
      <p className="faint mb-3">
        The same chart at other exposures tells patches that clip or lie in the noise in the first,
        and whether the curve is right. The first is the exposure that the match is for. Stops are
        what the camera was set to; leave them empty where you do not know.
      </p>
      <table className="mb-3 w-full">
        <thead className="faint text-left">
          <tr>
            <th className="font-normal">clip</th>
            <th className="font-normal">exposure, stops</th>
            <th className="text-right font-normal">found</th>
            <th className="text-right font-normal">patches disagree by</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => {
            const found = made?.notes.bracket.find((part) => part.clip === row.clip.name);
            return (
              <tr key={row.clip.id} className="rule border-t">
                <td className="py-1">
                  <label className="flex cursor-pointer items-center gap-2">
                    <input
                      type="checkbox"
                      className="checkbox checkbox-xs"
                      checked={row.isIn}
                      onChange={(e) => change(i, { isIn: e.target.checked })}
                    />
                    {row.clip.name}
                    {row.clip.id === taken[0]?.clip.id && <span className="faint">the first</span>}
                  </label>
                </td>
                <td>
                  <input
                    type="number"
                    step="0.1"
                    className="input input-xs w-20"
                    aria-label={`Stops of ${row.clip.name}`}
                    value={row.stops}
                    onChange={(e) => change(i, { stops: e.target.value })}
                  />
                </td>
                <td className="value text-right">{found ? signed(found.stops) : ""}</td>
                <td className="value text-right">{found ? found.bend.toFixed(3) : ""}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {made && (
        <output className="mb-3 block border-l-2 border-base-content pl-3">
          {made.notes.is_straight
            ? "The exposures agree from patch to patch: curve and levels hold."
            : "The exposures disagree from patch to patch: check encoding and levels."}
          {made.notes.rescued.length > 0 &&
            ` Patch ${made.notes.rescued.join(", ")} is told by another exposure.`}
        </output>
      )}
      {merge.error ? <Problem error={toProblem(merge.error)} /> : null}
      <div className="flex justify-end gap-2">
        <button type="button" className="btn btn-sm" onClick={onClose}>
          {made ? "Done" : "Leave it"}
        </button>
        <button
          type="button"
          className="btn btn-sm btn-primary"
          disabled={taken.length < 2 || merge.isPending}
          onClick={() => merge.mutate()}
        >
          {merge.isPending ? "Reading …" : "Read as one"}
        </button>
      </div>
    </Dialog>
  );
}

const signed = (v: number) => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(2)}`;

/** The clip's newest reading; where there is none it is found and read. */
async function readingOf(clip: Clip, side: Side, layout: string): Promise<number> {
  const known = side.clip_readings.find((r) => r.clip_id === clip.id && r.layout === layout);
  if (known) return known.reading_id;
  const path = { path: { clip_id: clip.id } };
  const found = await unwrap(
    api.POST("/api/clips/{clip_id}/find", { params: path, body: { layout, every: false } }),
  );
  if (!found.orientation_certain)
    throw toProblem({
      code: "chart.uncertain",
      detail: `Which way up the chart in ${clip.name} is, is not certain.`,
      hint: "Choose this clip in the picture and read it by hand first.",
    });
  const read = await unwrap(
    api.POST("/api/clips/{clip_id}/readings", {
      params: path,
      body: { corners: found.corners, found_by: "search", others: [], layout },
    }),
  );
  return read.id;
}

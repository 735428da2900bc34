import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { type Angle, api, type Match, unwrap } from "@/api/client";
import { afterChange, matchesQuery } from "@/api/queries";
import { Loading, Problem } from "@/shared/Feedback";
import { signed } from "@/shared/Tuner";
import { when } from "@/shared/when";
import { CompareWithScene, ExpectedOf, MatchScene, standsOn } from "./scene/MatchScene";
import { Targets } from "./scene/Targets";
import type { Clips, Scene } from "./scene/useScene";

/** The match's revisions; going back makes an earlier one the newest, and loses nothing. */
export function Revisions({
  angle,
  clips,
  frames,
  scene,
  shared,
  compared,
  onCompare,
}: {
  angle: Angle;
  /** The clips on screen: where there is no chart a match is made from them. */
  clips: Clips;
  /** The frames on screen. */
  frames: readonly [number, number];
  scene: Scene;
  /** How many probes have a place in both. */
  shared: number;
  /** The revision that stands beside the one in force. */
  compared: Match | null;
  onCompare: (match: Match | null) => void;
}) {
  const client = useQueryClient();
  const matches = useQuery(matchesQuery(angle.light_id, angle.angle.camera_id));
  const restore = useMutation({
    mutationFn: (id: number) =>
      unwrap(
        api.POST("/api/matches/{match_id}/restore", {
          params: { path: { match_id: id } },
          body: { base_number: angle.base_number },
        }),
      ),
    onSettled: () => afterChange(client, "matching"),
  });
  const chart = `/p/${angle.production_id}/l/${angle.light_id}/c/${angle.angle.camera_id}/chart`;
  return (
    <section aria-label="Revisions">
      {matches.isPending && <Loading what="Reading revisions" />}
      {matches.isError && <Problem error={matches.error} onRetry={() => matches.refetch()} />}
      {restore.isError && <Problem error={restore.error} />}
      {matches.data?.length === 0 && (
        <p className="faint mb-1.5">
          No match yet. Read the chart in both clips and fit; where nobody shot one, match from what
          both pictures show.{" "}
          <Link className="btn btn-xs" to={chart}>
            Open the Chart
          </Link>
        </p>
      )}
      {(angle.match?.kind === "chart" || (angle.match?.scene && !angle.match.scene.pin)) && (
        <div className="mb-1.5">
          <CompareWithScene match={angle.match} scene={scene} clips={clips} />
        </div>
      )}
      <div className="mb-1.5 flex flex-col gap-1.5">
        <Targets
          production={angle.production_id}
          clips={clips}
          frame={frames[0]}
          reference={`${angle.reference.letter} ${angle.reference.name}`}
          scene={scene}
        />
        <MatchScene angle={angle} scene={scene} clips={clips} frames={frames} shared={shared} />
      </div>
      <ul>
        {matches.data?.map((m) => (
          <li key={m.id} className="rule flex items-center gap-3 border-t py-1.5">
            <span className="value w-6 font-semibold">{m.number}</span>
            <span className="min-w-0 flex-1">
              <span className="block">
                ΔE{" "}
                <b className="value">
                  {m.borrowed && m.expected === null
                    ? "?"
                    : (m.expected ?? m.left_one_out).toFixed(2)}
                </b>
                <span className="faint"> · {standsOn(m)}</span>
                {m.restored_from !== null && (
                  <span className="faint"> · as revision {m.restored_from}</span>
                )}
              </span>
              <span className="faint block text-2xs">
                {signed(m.stops, 2)} stop, {signed(-m.warmth, 0)} mired, {when(m.created)}
              </span>
              {m.is_current && <ExpectedOf match={m} />}
            </span>
            {m.is_current ? (
              <span className="faint ml-auto whitespace-nowrap">in force</span>
            ) : (
              <span className="ml-auto flex shrink-0 gap-1.5">
                <button
                  type="button"
                  className="btn btn-xs"
                  aria-pressed={compared?.id === m.id}
                  title="The revision in force on the left, this one on the right"
                  onClick={() => onCompare(compared?.id === m.id ? null : m)}
                >
                  Compare
                </button>
                <button
                  type="button"
                  className="btn btn-xs"
                  disabled={restore.isPending}
                  onClick={() => {
                    onCompare(null);
                    restore.mutate(m.id);
                  }}
                >
                  Go back to this
                </button>
              </span>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

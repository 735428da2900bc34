import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Job, Light } from "@/api/client";
import { api, unwrap } from "@/api/client";
import { isOpen, jobsQuery } from "@/api/queries";
import { Problem } from "@/shared/Feedback";

export type AngleOutcome = {
  light_id: number;
  camera_id: number;
  camera: string;
  outcome: "read" | "kept" | "matched" | "from_picture" | "asked" | "failed" | "no_chart";
  text: string;
  expected: number | null;
};

/** What came of each camera, where a job matched any. */
export const outcomesOf = (job: Job): AngleOutcome[] =>
  (job.result?.angles ?? []) as AngleOutcome[];

/** What a person has to see to. */
export const LEFT_ALONE = new Set<AngleOutcome["outcome"]>(["asked", "failed", "no_chart"]);

const newestOf = (jobs: Job[], light: number) =>
  jobs.find((job) => job.kind === "match-angles" && job.arguments.light_id === light);

/** Read and match every angle of a light in one go, and what came of the last time. */
export function MatchAll({
  production,
  light,
  isOffered,
}: {
  production: number;
  light: Light;
  isOffered: boolean;
}) {
  const client = useQueryClient();
  const job = newestOf(useQuery(jobsQuery(production)).data ?? [], light.id);
  const start = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/match", { params: { path: { light_id: light.id } } }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: jobsQuery(production).queryKey }),
  });
  const running = job !== undefined && isOpen(job);
  return (
    <div className="flex flex-col gap-1 px-3 pb-3">
      {(isOffered || running) && (
        <button
          type="button"
          className="btn btn-xs self-start"
          disabled={running || start.isPending}
          onClick={() => start.mutate()}
          title="Find and read the charts that are open here, and fit each angle to the reference; where there is none, match from the picture"
        >
          {running ? "Matching…" : "Match all here"}
        </button>
      )}
      {start.isError && <Problem error={start.error} />}
      {job && !running && <Ended job={job} base={`/p/${production}/l/${light.id}`} />}
    </div>
  );
}

/** What a person has to see to, and what was matched without a chart; the rest shows in the cells. */
function Ended({ job, base }: { job: Job; base: string }) {
  if (job.problem)
    return (
      <p className="text-2xs text-error" role="alert">
        {job.problem.detail} {job.problem.hint}
      </p>
    );
  if (job.state === "cancelled")
    return <p className="faint text-2xs">Stopped; what was done is kept.</p>;
  const angles = outcomesOf(job).filter(
    (a) => LEFT_ALONE.has(a.outcome) || a.outcome === "from_picture",
  );
  return angles.map((a) => (
    <Link
      key={a.camera_id}
      to={`${base}/c/${a.camera_id}/${a.outcome === "from_picture" ? "bench?panel=match" : "chart"}`}
      className="line-clamp-3 text-2xs hover:underline"
      title={a.text}
    >
      <b>{a.camera}</b>: {a.text}
    </Link>
  ));
}

/** Read and match every angle of the production in one press. */
export function MatchEverything({ production }: { production: number }) {
  const client = useQueryClient();
  const query = jobsQuery(production);
  const isRunning = (useQuery(query).data ?? []).some(
    (j) => j.kind === "match-angles" && isOpen(j),
  );
  const start = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/match", {
          params: { path: { production_id: production } },
        }),
      ),
    onSettled: () => client.invalidateQueries({ queryKey: query.queryKey }),
  });
  return (
    <button
      type="button"
      className="btn btn-sm"
      disabled={isRunning || start.isPending}
      title="In every light: find and read the charts that are open, and fit each angle to the reference"
      onClick={() => start.mutate()}
    >
      {isRunning ? "Matching…" : "Match everything"}
    </button>
  );
}

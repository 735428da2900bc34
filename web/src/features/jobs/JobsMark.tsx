import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import type { Job } from "@/api/client";
import { api, unwrap } from "@/api/client";
import { afterChange, isOpen, jobsQuery, keys } from "@/api/queries";

/** What runs, how far it is, and a way to stop it; nothing where nothing runs. */
export function JobsMark({ production }: { production: number }) {
  const client = useQueryClient();
  const jobs = useQuery(jobsQuery(production)).data ?? [];
  const open = jobs.filter(isOpen);
  const before = useRef(new Set<number>());
  useEffect(() => {
    // What has ended may have changed anything that is shown.
    const now = new Set(jobs.filter(isOpen).map((job) => job.id));
    const ended = [...before.current].some((id) => !now.has(id));
    before.current = now;
    if (ended) afterChange(client);
  }, [jobs, client]);
  // A light's cameras are matched one after the other: each cell shows what came of it at once.
  const step = open.find((job) => job.kind === "match-angles")?.step;
  useEffect(() => {
    if (step) client.invalidateQueries({ queryKey: keys.board(production) });
  }, [step, production, client]);
  const job = open.at(-1);
  if (!job) return null;
  return (
    <span className="flex items-center gap-2" data-job={job.state}>
      <JobLine job={job} />
      {open.length > 1 && <span className="faint">and {open.length - 1} more</span>}
    </span>
  );
}

/** One running job: its step, its share done, and Stop. */
export function JobLine({ job }: { job: Job }) {
  const client = useQueryClient();
  const stop = async () => {
    await unwrap(api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id: job.id } } }));
    client.invalidateQueries({ queryKey: ["jobs"] });
  };
  const words = job.is_cancel_asked
    ? "stopping…"
    : job.step || (job.state === "queued" ? "waiting to begin" : job.title);
  return (
    <>
      <span
        className="faint max-w-56 truncate max-[1100px]:hidden"
        title={`${job.title}: ${words}`}
      >
        {words}
      </span>
      <progress
        className="progress w-24"
        aria-label={job.title}
        value={Math.round(job.progress * 100)}
        max={100}
      />
      <button
        type="button"
        className="btn btn-xs"
        onClick={stop}
        disabled={job.is_cancel_asked}
        aria-label={`Stop: ${job.title}`}
      >
        Stop
      </button>
    </>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useParams, useSearchParams } from "react-router";
import type { Job } from "@/api/client";
import { arrivalsQuery, boardQuery, clipsQuery, jobsQuery } from "@/api/queries";
import { TopLine } from "@/app/TopLine";
import { Loading, Problem } from "@/shared/Feedback";
import { Tabs } from "@/shared/Tabs";
import { ClipList } from "./ClipList";
import { MediaPane } from "./MediaPane";
import { Waiting } from "./Waiting";

const TABS = ["waiting", "clips"] as const;

/** The day's cards: what lies there, what waits to come in, and what is in. */
export function FootagePage() {
  const { production = "0" } = useParams();
  const id = Number(production);
  const [place, setPlace] = useSearchParams();
  const board = useQuery(boardQuery(id));
  const arrivals = useQuery(arrivalsQuery(id));
  const count = useQuery(clipsQuery(id, { most: 1 })).data?.total;
  const jobs = useQuery(jobsQuery(id));
  const waiting = arrivals.data?.length ?? 0;
  const tab =
    TABS.find((t) => t === place.get("show")) ?? (waiting > 0 || count === 0 ? "waiting" : "clips");
  const show = (what: (typeof TABS)[number]) =>
    setPlace((p) => {
      p.set("show", what);
      return p;
    });
  return (
    <div className="flex h-full flex-col">
      <TopLine
        production={id}
        crumbs={[{ text: board.data?.production.name ?? "…", to: `/p/${id}` }, { text: "Footage" }]}
      />
      {board.isPending && <Loading what="Opening footage" />}
      {board.isError && <Problem error={board.error} onRetry={() => board.refetch()} />}
      {board.data && (
        <div className="flex min-h-0 flex-1">
          <MediaPane production={id} onLooked={() => show("waiting")} />
          <main className="flex min-w-0 flex-1 flex-col">
            <Tabs
              label="Footage"
              all={TABS}
              value={tab}
              onChange={show}
              className="flex min-h-0 flex-1 flex-col pt-2"
              words={{
                waiting: <Counted word="Waiting" count={waiting || undefined} />,
                clips: <Counted word="Clips" count={count} />,
              }}
              beside={<LastBroughtIn jobs={jobs.data ?? []} />}
            >
              {tab === "waiting" ? (
                <>
                  {arrivals.isPending && <Loading what="Asking what waits" />}
                  {arrivals.isError && <Problem error={arrivals.error} />}
                  {arrivals.data && (
                    <Waiting
                      board={board.data}
                      arrivals={arrivals.data}
                      onAccepted={() => show("clips")}
                    />
                  )}
                </>
              ) : (
                <ClipList board={board.data} />
              )}
            </Tabs>
          </main>
        </div>
      )}
    </div>
  );
}

/** What came of the last time: clips, checksums that a manifest confirmed, and what could not be. */
export function LastBroughtIn({ jobs }: { jobs: readonly Job[] }) {
  const last = jobs.find((job) => job.kind === "bring-in" && job.state === "done");
  const result = last?.result as
    | { clips?: number; verified?: number; failed?: unknown[]; unread?: string[] }
    | undefined;
  if (!last || !result) return null;
  const { clips = 0, verified = 0, failed = [], unread = [] } = result;
  const words = [
    `${clips} ${clips === 1 ? "clip" : "clips"} came in`,
    verified
      ? `${verified} files are what their manifest says`
      : unread.length
        ? "none was checked against a manifest"
        : "no manifest was there to check",
  ];
  if (failed.length) words.push(`${failed.length} could not be brought in`);
  return (
    <p className="faint ml-auto self-center truncate text-2xs" title={unread.join("; ")}>
      Last: {words.join(", ")}.
      {unread.length > 0 && (
        <b className="text-error">
          {" "}
          {unread.length === 1 ? "A manifest" : `${unread.length} manifests`} cannot be read:{" "}
          {unread[0]}
        </b>
      )}
    </p>
  );
}

function Counted({ word, count }: { word: string; count: number | undefined }) {
  return (
    <>
      {word} {count !== undefined && <span className="value">{count}</span>}
    </>
  );
}

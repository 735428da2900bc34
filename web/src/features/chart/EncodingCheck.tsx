import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { type Angle, api, type Schemas, unwrap } from "@/api/client";
import { encodingCheckQuery, isOpen } from "@/api/queries";
import { TakeAs } from "@/features/encoding";
import { JobLine } from "@/features/jobs";
import { Dialog } from "@/shared/Dialog";
import { Loading, Problem } from "@/shared/Feedback";
import { signed } from "@/shared/Tuner";

type Check = Schemas["EncodingCheckOut"];
type Candidate = Schemas["CandidateOut"];

/** What the charts say of the angle's encoding; nothing is changed by looking. */
export function EncodingCheck({ angle, onClose }: { angle: Angle; onClose: () => void }) {
  const client = useQueryClient();
  const query = encodingCheckQuery(angle.light_id, angle.angle.camera_id);
  const state = useQuery(query);
  const path = { light_id: angle.light_id, camera_id: angle.angle.camera_id };
  const start = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/encoding-check", { params: { path } }),
      ),
    onSuccess: () => {
      client.invalidateQueries({ queryKey: query.queryKey });
      client.invalidateQueries({ queryKey: ["jobs"] });
    },
  });
  const job = state.data?.job ?? null;
  const check = state.data?.check ?? null;
  const isRunning = start.isPending || (job !== null && isOpen(job));
  const isFresh = state.isSuccess && !check && !job && start.isIdle;
  const begin = start.mutate;
  useEffect(() => {
    if (isFresh) begin();
  }, [isFresh, begin]);
  const failed = state.error ?? start.error;
  return (
    <Dialog title={`What ${angle.angle.letter} may be encoded as`} onClose={onClose} wide>
      {state.isPending && <Loading what="Asking what is known" />}
      {failed && <Problem error={failed} />}
      {check ? (
        <>
          <Pictures angle={angle} check={check} />
          <Result check={check} letter={angle.angle.letter} />
        </>
      ) : (
        job && (
          <div className="flex items-center gap-2">
            {isRunning ? (
              <JobLine job={job} />
            ) : (
              <>
                <span className={job.problem ? "text-error" : "faint"} role="status">
                  {job.problem ? `${job.problem.detail} ${job.problem.hint}` : "It was stopped."}
                </span>
                <button type="button" className="btn btn-xs" onClick={() => begin()}>
                  Check again
                </button>
              </>
            )}
          </div>
        )
      )}
      {(angle.angle.reading?.notes.bracket.length ?? 0) > 0 && <OwnCurve angle={angle} />}
    </Dialog>
  );
}

/** The angle's chart clip as each explanation would make it look, matched; the stated one first. */
function Pictures({ angle, check }: { angle: Angle; check: Check }) {
  const seen = [check.stated, ...check.alike.filter((c) => !same(c, check.stated))].slice(0, 3);
  const next = check.candidates.find((c) => !seen.some((s) => same(s, c)));
  const shown = seen.length < 3 && next ? [...seen, next] : seen;
  const base = `/api/lights/${angle.light_id}/cameras/${angle.angle.camera_id}/encoding-check/picture`;
  return (
    <div className="mb-3 grid grid-cols-3 gap-2">
      {shown.map((c) => (
        <figure key={`${c.encoding} ${c.levels}`}>
          <img
            src={`${base}?${new URLSearchParams({ encoding: c.encoding, levels: c.levels })}`}
            alt={`as ${c.name}, ${c.levels} levels`}
            className="block aspect-video w-full animate-pulse bg-base-300 object-cover"
            onLoad={(e) => e.currentTarget.classList.remove("animate-pulse")}
          />
          <figcaption className="mt-0.5 text-2xs">
            {c.name}, {c.levels}
            <span className="faint">
              {same(c, check.stated) ? " · stated" : ` · ${odds(c.log_odds)}`}
            </span>
          </figcaption>
        </figure>
      ))}
    </div>
  );
}

const WORDS = {
  agrees: "The charts agree with what is stated.",
  doubtful: "The charts speak against what is stated.",
  "cannot tell": "The charts cannot tell: encodings that look alike here would differ elsewhere.",
};

function Result({ check, letter }: { check: Check; letter: string }) {
  const { stated, alike } = check;
  const rows = [...alike, ...check.candidates.filter((c) => !alike.some((a) => same(a, c)))];
  const shown = rows.slice(0, 7);
  if (!shown.some((c) => same(c, stated))) shown.push(stated);
  const hasNoise = check.candidates.some((c) => c.noise > 0);
  return (
    <div>
      <p className="text-base font-semibold">{WORDS[check.verdict]}</p>
      <p className="faint mb-3">
        {letter} is stated as {stated.name}, {stated.levels} levels.
        {check.causes[0] && ` Possible causes: ${check.causes.join("; ")}.`}
      </p>
      <table className="w-full">
        <thead className="faint text-left">
          <tr>
            <th className="font-normal">encoding</th>
            <th className="font-normal">levels</th>
            <th className="pl-4 text-right font-normal">grey slope</th>
            <th className="pl-4 text-right font-normal">bend</th>
            {hasNoise && <th className="pl-4 text-right font-normal">noise off</th>}
            <th className="pl-4 font-normal">likely</th>
            <th className="pl-4 text-right font-normal">ΔE between them</th>
            <th className="pl-4 text-right font-normal">dark · bright</th>
          </tr>
        </thead>
        <tbody className="value">
          {shown.map((c) => (
            <tr
              key={`${c.encoding} ${c.levels}`}
              className={`rule border-t ${same(c, stated) ? "font-semibold" : ""}`}
            >
              <td className="py-0.5 font-sans">
                {c.name}
                {same(c, stated) && <span className="faint font-normal"> stated</span>}
              </td>
              <td className="font-sans">{c.levels}</td>
              <td className="text-right">{c.slope.toFixed(2)}</td>
              <td className="text-right">{c.bend.toFixed(2)}</td>
              {hasNoise && <td className="text-right">{c.noise.toFixed(2)}</td>}
              <td className="pl-4 font-sans">{odds(c.log_odds)}</td>
              <td className="text-right">
                {c.cost === null || same(c, stated) ? "" : c.cost.toFixed(2)}
              </td>
              <td className="pl-4 text-right whitespace-nowrap">
                {!same(c, stated) &&
                  c.cost_dark !== null &&
                  c.cost_bright !== null &&
                  `${signed(c.cost_dark, 2)} · ${signed(c.cost_bright, 2)}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="faint mt-3">
        Confused with the stated one, the picture would differ by so many ΔE, and by so many stops
        in the dark (four under middle grey) and in the lights (three over). Nothing is changed by
        looking.
      </p>
    </div>
  );
}

const same = (a: Candidate, b: Candidate) => a.encoding === b.encoding && a.levels === b.levels;

function odds(log: number): string {
  if (log > -0.7) return "likeliest";
  if (log > -5) return `1 to ${Math.round(Math.exp(-log))}`;
  return log > -12 ? "hardly" : "no";
}

/** A curve that no list has, from the camera's own bracket; taking it is a step of its own. */
function OwnCurve({ angle }: { angle: Angle }) {
  const client = useQueryClient();
  const { camera_id, letter } = angle.angle;
  const place = { params: { path: { light_id: angle.light_id, camera_id } } };
  const fit = useMutation({
    mutationFn: () => unwrap(api.POST("/api/lights/{light_id}/cameras/{camera_id}/curve", place)),
    onSuccess: () => client.invalidateQueries({ queryKey: ["encodings"] }),
  });
  const [asks, setAsks] = useState(false);
  const clip = angle.angle.clips.find((c) => c.id === angle.angle.reading?.clip_id);
  const found = fit.data;
  return (
    <section className="rule mt-3 border-t pt-3" aria-label="A curve from the bracket">
      <div className="flex items-center gap-3">
        <button
          type="button"
          className="btn btn-xs"
          disabled={fit.isPending}
          onClick={() => fit.mutate()}
        >
          {fit.isPending ? "Fitting…" : "Fit a curve from the bracket"}
        </button>
        <span className="faint">For a camera that no list has; its gamut stays as stated.</span>
      </div>
      {found && (
        <p className="mt-2">
          Kept as <b>{found.name}</b>: the bracket agrees with it to {found.error.toFixed(2)} stop,
          between codes {found.low.toFixed(2)} and {found.high.toFixed(2)}; beyond them it goes
          straight on.{" "}
          <button type="button" className="btn btn-xs" onClick={() => setAsks(true)}>
            Take {letter} so …
          </button>
        </p>
      )}
      {fit.isError && <Problem error={fit.error} />}
      {asks && found && clip && (
        <TakeAs
          clip={clip}
          encoding={found.slug}
          name={found.name}
          levels="full"
          letter={letter}
          light={angle.light_name}
          base={angle.head}
          onClose={() => setAsks(false)}
        />
      )}
    </section>
  );
}

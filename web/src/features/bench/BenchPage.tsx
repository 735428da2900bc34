import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Angle, Match } from "@/api/client";
import { type ChainDocument, withoutMatch } from "@/api/draft";
import { angleQuery } from "@/api/queries";
import { TopLine } from "@/app/TopLine";
import { useAngleKeys } from "@/app/useAngleKeys";
import { Empty, Loading, Problem } from "@/shared/Feedback";
import { STATE_WORDS, type State, StateMark } from "@/shared/Marks";
import { TunerScales } from "@/shared/Tuner";
import { useKeys } from "@/shared/useKeys";
import { Pictures } from "./Pictures";
import { Revisions } from "./Revisions";
import { Scopes } from "./Scopes";
import { type Compare, useBenchPlace } from "./useBenchPlace";
import { useDraft } from "./useDraft";

export function BenchPage() {
  const params = useParams();
  const [production, light, camera] = [params.production, params.light, params.camera].map(
    Number,
  ) as [number, number, number];
  const angle = useQuery(angleQuery(light, camera));
  const bench = useBenchPlace();
  useAngleKeys(production, light, camera, "bench");
  const base = `/p/${production}/l/${light}/c/${camera}`;
  return (
    <div className="flex h-full flex-col">
      <TopLine
        production={production}
        crumbs={[
          { text: angle.data?.production_name ?? "…", to: `/p/${production}` },
          { text: angle.data?.light_name ?? "…" },
          {
            text: angle.data
              ? `${angle.data.angle.letter} ${angle.data.angle.name} against ${angle.data.reference.letter}`
              : "…",
          },
        ]}
      >
        <CompareSwitch value={bench.place.compare} onChange={(compare) => bench.set({ compare })} />
        <button
          type="button"
          className="btn btn-sm"
          aria-pressed={bench.place.match && angle.data?.match != null}
          disabled={!angle.data?.match}
          onClick={bench.toggleMatch}
        >
          {angle.data?.match ? `Match ${bench.place.match ? "on" : "off"}` : "No match yet"}
        </button>
        <button
          type="button"
          className="btn btn-sm"
          aria-pressed={bench.place.unseen}
          title="Hatch what lies outside the colours that the fit has seen (U)"
          disabled={!angle.data?.match}
          onClick={bench.toggleUnseen}
        >
          Unseen
        </button>
        <Link className="btn btn-sm" to={`${base}/chart`}>
          Chart
        </Link>
        <Link
          className="btn btn-sm"
          to={`/p/${production}/take-away?light=${light}&camera=${camera}`}
        >
          Take away
        </Link>
      </TopLine>
      {angle.isPending && <Loading what="Opening the Bench" />}
      {angle.isError && <Problem error={angle.error} onRetry={() => angle.refetch()} />}
      {angle.data &&
        (angle.data.angle.camera_id === angle.data.reference.camera_id ? (
          <Empty title="This is the reference camera.">
            The Bench compares another camera with it.
            <Link className="btn btn-sm" to={`/p/${production}`}>
              Choose one on the Board
            </Link>
          </Empty>
        ) : (
          <Bench key={`${light}-${camera}`} angle={angle.data} bench={bench} />
        ))}
    </div>
  );
}

const COMPARES: [Compare, string][] = [
  ["side", "Side by side"],
  ["upright", "Wipe │"],
  ["level", "Wipe ─"],
];

function CompareSwitch({ value, onChange }: { value: Compare; onChange: (v: Compare) => void }) {
  return (
    <fieldset className="join" aria-label="Compare">
      {COMPARES.map(([key, text]) => (
        <button
          key={key}
          type="button"
          aria-pressed={value === key}
          className={`btn btn-sm join-item ${value === key ? "btn-primary" : ""}`}
          onClick={() => onChange(key)}
        >
          {text}
        </button>
      ))}
    </fieldset>
  );
}

function Bench({ angle, bench }: { angle: Angle; bench: ReturnType<typeof useBenchPlace> }) {
  const { place } = bench;
  const [held, setHeld] = useState(false);
  // Two revisions beside each other: the one in force takes the reference's place.
  const [compared, setCompared] = useState<Match | null>(null);
  const pick = (clips: Angle["angle"]["clips"]) =>
    clips.find((c) => c.kind === place.kind) ?? clips[0];
  const ownClip = pick(angle.angle.clips);
  const clips = [compared ? ownClip : pick(angle.reference.clips), ownClip] as const;
  const frames = clips.map((c, i) =>
    Math.min(place.frames[compared ? 1 : i] ?? 0, (c?.frame_count ?? 1) - 1),
  ) as [number, number];
  const ownChain = angle.angle.chain as ChainDocument;
  const reference = useDraft(
    clips[0],
    frames[0],
    compared ? ownChain : (angle.reference.chain as ChainDocument),
  );
  const own = useDraft(
    clips[1],
    frames[1],
    compared ? (compared.chain as ChainDocument) : place.match ? ownChain : withoutMatch(ownChain),
    place.unseen,
  );
  useKeys(
    {
      w: bench.nextCompare,
      b: bench.toggleMatch,
      g: bench.toggleScopes,
      u: bench.toggleUnseen,
      s: bench.nextSurround,
      r: () => setHeld(true),
      escape: () => setCompared(null),
    },
    { r: () => setHeld(false) },
  );
  const error = reference.error ?? own.error;
  const tuner = place.match && angle.match ? angle.tuner : angle.tuner_before;
  const wipe = place.compare !== "side";
  const scopes = (
    <Scopes
      reference={reference.draft?.counts ?? null}
      angle={own.draft?.counts ?? null}
      letters={
        compared
          ? [`match ${angle.match?.number ?? "–"}`, `match ${compared.number}`]
          : [angle.reference.letter, angle.angle.letter]
      }
      stacked={wipe}
    />
  );
  return (
    <main className="flex min-h-0 flex-1 flex-col">
      {error ? (
        <Problem
          error={error}
          onRetry={() => {
            reference.retry();
            own.retry();
          }}
        />
      ) : null}
      <div className="flex min-h-0 flex-1">
        <Pictures
          angle={angle}
          clips={clips}
          frames={frames}
          drafts={[reference.draft, own.draft]}
          place={place}
          held={held}
          compared={compared?.number ?? null}
          onPlace={bench.set}
        />
        {wipe && place.scopes && (
          <aside className="rule flex w-[340px] shrink-0 flex-col border-l bg-base-200">
            {scopes}
          </aside>
        )}
      </div>
      <div className="rule flex shrink-0 border-y bg-base-200">
        <div className="w-44 shrink-0 p-2">
          <p className="flex items-center gap-2 font-semibold">
            <StateMark state={angle.state as State} />
            {angle.angle.letter} {place.match ? STATE_WORDS[angle.state as State] : "as shot"}
          </p>
          <p className="faint text-2xs">
            {angle.match
              ? figure(angle.match, place.match)
              : "no match yet: read the charts and fit"}
          </p>
        </div>
        {tuner ? (
          <TunerScales tuner={tuner as never} />
        ) : (
          <p className="faint self-center p-2">
            The tuner needs a chart reading of both cameras in this light.
          </p>
        )}
      </div>
      {!wipe && place.scopes && (
        <div className="flex h-[272px] shrink-0">
          {scopes}
          <Revisions angle={angle} compared={compared} onCompare={setCompared} />
        </div>
      )}
    </main>
  );
}

/** What the match, or the clip as shot, is known to miss. */
function figure(match: Match, isOn: boolean): string {
  if (match.borrowed)
    return match.expected === null
      ? `from ${match.borrowed.source}, tried nowhere`
      : `from ${match.borrowed.source}, about ${match.expected.toFixed(1)} ΔE`;
  return isOn
    ? `ΔE ${(match.expected ?? match.left_one_out).toFixed(2)} off the chart`
    : `ΔE ${match.before?.toFixed(2) ?? "–"} on the chart`;
}

import { useQuery } from "@tanstack/react-query";
import { type ComponentProps, useEffect, useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import { useStore } from "zustand";
import type { Angle, Match } from "@/api/client";
import type { Overrides, Seen } from "@/api/draft";
import { angleQuery, clipQuery, diagnosticsQuery, encodingsQuery, overQuery } from "@/api/queries";
import { TopLine } from "@/app/TopLine";
import { useAngleKeys } from "@/app/useAngleKeys";
import { Empty, Loading, Problem } from "@/shared/Feedback";
import { STATE_WORDS, type State, StateMark } from "@/shared/Marks";
import { Tabs } from "@/shared/Tabs";
import { useKeys } from "@/shared/useKeys";
import { AimDialog } from "./Aim";
import { BalancePanel } from "./Balance";
import { type Candidate, Candidates } from "./Candidates";
import { CopyTrim } from "./CopyTrim";
import { useTellCleanWindow } from "./cleanWindow";
import { figure } from "./figure";
import { createHand, type HandStore, ofAngle, ofReference } from "./hand";
import { LookPanel } from "./Look";
import { OverlayLines } from "./OverlayLines";
import { RegionFrame } from "./PicturePane";
import { Pictures } from "./Pictures";
import { PointLine, ProbesLayer } from "./probes/ProbesLayer";
import { ProbeLine, ProbeTable } from "./probes/ProbeTable";
import type { Probed } from "./probes/reader";
import { type Probes, useProbes } from "./probes/useProbes";
import { Revisions } from "./Revisions";
import { Scopes, type SkinsStore } from "./Scopes";
import { CompareSwitch, ViewSwitch } from "./Switches";
import { PlacesLayer } from "./scene/PlacesLayer";
import { useScene } from "./scene/useScene";
import { asShot, hatched, regionOf, seenOf, UNZOOMED, type Zoom, zoomed, zoomText } from "./seen";
import { TrimPanel } from "./TrimPanel";
import { allOff, TunerHand } from "./TunerHand";
import { PARTS, standing } from "./trimParts";
import { next, PANELS, pickClip, useBenchPlace } from "./useBenchPlace";
import { type Source, useMeasured } from "./useMeasured";
import { usePictureView } from "./usePictureView";
import { useRested } from "./useRested";
import { useTrim } from "./useTrim";

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
        <ViewSwitch bench={bench} angle={angle.data} />
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

function Bench({ angle, bench }: { angle: Angle; bench: ReturnType<typeof useBenchPlace> }) {
  const { place } = bench;
  const [held, setHeld] = useState(false);
  // Two revisions beside each other: the one in force takes the reference's place.
  const [compared, setCompared] = useState<Match | null>(null);
  const ownClip = pickClip(angle.angle.clips, place.kind, place.clips[1]);
  const baseClip = pickClip(angle.reference.clips, place.kind, place.clips[0]);
  const over = useQuery(overQuery(angle.light_id));
  const known = useQuery({ ...clipQuery(ownClip?.id ?? 0), enabled: ownClip !== undefined }).data;
  const [hand] = useState(createHand);
  const [tried, setTried] = useState<Candidate | null>(null);
  const [beside, setBeside] = useState(false);
  const encodings = useQuery({ ...encodingsQuery(angle.production_id), enabled: tried !== null });
  const nameOf = (slug: string) => encodings.data?.find((e) => e.slug === slug)?.name ?? slug;
  // Whether both pictures are of the angle's own clip.
  const isOwnBoth = compared !== null || (tried !== null && beside);
  const clips = [isOwnBoth ? ownClip : baseClip, ownClip] as const;
  const frames = clips.map((c, i) =>
    Math.min(place.frames[isOwnBoth ? 1 : i] ?? 0, (c?.frame_count ?? 1) - 1),
  ) as [number, number];
  // Without a match there is no other view of the angle than the one that is trimmed.
  const isMatched = place.match || !angle.match;
  const left: Overrides = tried && beside ? asShot : {};
  const right: Overrides = tried
    ? { ...asShot, decode: tried }
    : compared
      ? { match_id: compared.id }
      : isMatched
        ? {}
        : asShot;
  // What was half done on a clip is not carried to another one: before its picture is asked for.
  const shown = `${clips[0]?.id} ${clips[1]?.id}`;
  // biome-ignore lint/correctness/useExhaustiveDependencies: when other clips are shown
  useEffect(() => {
    hand.setState({ trim: null, clipTrim: null });
  }, [hand, shown]);
  const reference = usePictureView(
    seenOf(place, clips[0], frames[0], left, {
      mark: place.mark === "unseen" ? "" : hatched(place.mark),
      side: isOwnBoth ? 1 : 0,
    }),
    hand,
    isOwnBoth ? ofAngle : ofReference,
  );
  const seen = seenOf(place, ownClip, frames[1], right);
  const own = usePictureView(seen, hand, ofAngle);
  useTellCleanWindow(angle.light_id, angle.angle.camera_id, seen, hand);
  useKeys(
    {
      w: bench.nextCompare,
      b: bench.toggleMatch,
      g: bench.toggleScopes,
      u: () => bench.toggleMark("unseen"),
      k: () => bench.toggleMark("gamut"),
      o: () => bench.toggleMark("clipped"),
      z: bench.toggleMono,
      d: bench.toggleWhole,
      e: () => bench.set({ panel: "encoding" }),
      s: bench.nextSurround,
      r: () => setHeld(true),
      a: () => hand.setState({ isBefore: true }),
      i: () => place.compare !== "turn" && bench.set({ compare: "turn" }),
      c: () => bench.toggleMark("stops"),
      y: () => bench.toggleMark("neutral"),
      ",": () => bench.set({ stop: Math.max(-7, place.stop - 1) }),
      ".": () => bench.set({ stop: Math.min(7, place.stop + 1) }),
      m: bench.toggleLowest,
      "+": () => zoomBy(1.5),
      "=": () => zoomBy(1.5), // the same key without Shift
      "-": () => zoomBy(1 / 1.5),
      f: () => setZoom(UNZOOMED),
      x: () => drawRegion(),
      escape: () => {
        setCompared(null);
        setDrawing(false);
        probes.letGo();
        if (place.panel !== "probes" && fromTable) bench.set({ panel: "probes" });
        setFromTable(false);
      },
    },
    {
      r: () => setHeld(false),
      a: () => hand.setState({ isBefore: false }),
    },
  );
  const trim = useTrim(angle, ownClip, hand, place.forClip);
  const [copying, setCopying] = useState(false);
  const [source, setSource] = useState<Source | null>(null);
  const measured = useMeasured({
    angle,
    clips,
    frames,
    hand,
    kept: { stage: trim.kept, forClip: place.forClip },
    withMatch: isMatched,
    source,
    withHues: place.panel === "trim" && place.part === "hues",
  });
  const probes = useProbes({
    angle,
    clips,
    frames,
    hand,
    view: { withMatch: isMatched, off: place.off, output: place.output },
    isShown: !isOwnBoth && tried === null,
  });
  const skins = useSkins(probes);
  const scene = useScene(angle, [baseClip, ownClip], hand);
  const [drawing, setDrawing] = useState(false);
  const [aiming, setAiming] = useState(false);
  // Whether a stage was opened from the probe table, which Esc brings back.
  const [fromTable, setFromTable] = useState(false);
  const setZoom = (zoom: Zoom) => {
    hand.setState({ zoom });
    bench.set({ z: zoomText(zoom) });
  };
  const zoomBy = (factor: number) =>
    setZoom(zoomed(hand.getState().zoom ?? place.zoom, factor, 0.5, 0.5));
  const isPart = place.scoped.some(Boolean);
  const drawRegion = () => {
    if (isPart) bench.set({ sr: "", sa: "" });
    setDrawing(!isPart && !drawing);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: once a region was drawn
  useEffect(() => setDrawing(false), [isPart]);
  const near = ({ sides }: Probed) => {
    const at = sides.map((side) => (side ? [side.place.x, side.place.y] : [0.5, 0.5]));
    setZoom({ by: Math.max(6, place.zoom.by), at: at as Zoom["at"] });
  };
  // Only what is on screen can be turned: not as shot, not under a tried encoding.
  const canTurn =
    trim.isReady &&
    isMatched &&
    !isOwnBoth &&
    tried === null &&
    !place.off.some((stage) => stage === "match" || stage === "trim");
  const takeAllOff = () => {
    const tuner = measured.tuner && standing(measured.tuner, measured.at, trim.now);
    const known = measured.turn && { at: measured.at, turn: measured.turn };
    const next = allOff(trim, tuner, measured.aim, known);
    if (next && canTurn) trim.set(next);
  };
  useKeys({
    t: takeAllOff,
    v: () => {
      if (!trim.isDraft || trim.keep.isPending) return;
      bench.set({ panel: "trim" }); // where it is said if somebody else was first
      trim.keep.mutate({ stage: trim.now });
    },
    // Stepping through encodings has these two for itself.
    p: () => place.panel !== "encoding" && probes.pickUnder(),
    n: () =>
      place.panel !== "encoding" && bench.set({ panel: "trim", part: next(PARTS, place.part) }),
  });
  const error = reference.error ?? own.error;
  const wipe = place.compare !== "side";
  const scopes = (
    <Scopes
      reference={reference.view}
      angle={own.view}
      letters={
        compared
          ? [`match ${angle.match?.number ?? "–"}`, `match ${compared.number}`]
          : tried && beside
            ? ["stated", "tried"]
            : [angle.reference.letter, angle.angle.letter]
      }
      stacked={wipe}
      skins={skins}
      only={!wipe && place.panel === "probes" ? "vectorscope" : null}
      lowest={place.lowest}
      isPart={isPart || place.zoom.by > 1}
      isDrawn={isPart || drawing}
      onLowest={bench.toggleLowest}
      onRegion={drawRegion}
    />
  );
  const panels = (
    <section className="flex min-w-0 flex-1 flex-col">
      <Tabs
        label="Panels"
        all={PANELS}
        value={place.panel}
        className={`min-h-0 flex-1 overflow-y-auto px-3 py-1.5 ${place.panel === "probes" ? "" : "max-w-4xl"}`}
        onChange={(panel) => {
          bench.set({ panel });
          setFromTable(false);
          setTried(null);
        }}
      >
        {place.panel === "match" && (
          <Revisions
            angle={angle}
            clips={[baseClip, ownClip]}
            frames={frames}
            scene={scene}
            shared={probes.shared}
            compared={compared}
            onCompare={setCompared}
          />
        )}
        {place.panel === "trim" && (
          <TrimPanel
            trim={trim}
            part={place.part}
            forClip={place.forClip}
            clipName={ownClip?.name ?? "this clip"}
            probes={probes}
            effect={measured.pairs}
            hues={measured.hues}
            onPart={(part) => bench.set({ part })}
            onFor={(forClip) => {
              hand.setState({ trim: null, clipTrim: null });
              bench.set({ for: forClip ? "clip" : "light" });
            }}
            onCopy={() => setCopying(true)}
          />
        )}
        {place.panel === "probes" && (
          <ProbeTable
            angle={angle}
            clips={clips}
            probes={probes}
            trim={trim}
            canTurn={canTurn}
            unit={place.unit}
            off={place.off}
            onUnit={(unit) => bench.set({ unit })}
            onOpen={(stage) => {
              setFromTable(true);
              bench.set({ panel: stage });
            }}
            onSwitch={bench.toggleStage}
            onNear={near}
          />
        )}
        {place.panel === "balance" && over.data && (
          <BalanceUnderHand
            light={{ id: angle.light_id, name: angle.light_name }}
            over={over.data}
            hand={hand}
          />
        )}
        {place.panel === "look" && over.data && (
          <LookUnderHand
            hand={hand}
            seen={seen}
            production={angle.production_id}
            key={ownClip?.scene ?? ""}
            light={{ id: angle.light_id, name: angle.light_name }}
            scene={ownClip?.scene ?? ""}
            reference={referenceOf(angle)}
            over={over.data}
            beside={ownClip ? { clip: ownClip.id, files: known?.sidecars ?? [] } : null}
          />
        )}
        {place.panel === "encoding" && (
          <Candidates
            angle={angle}
            clip={ownClip}
            tried={tried}
            beside={beside}
            onTry={setTried}
            onBeside={setBeside}
          />
        )}
      </Tabs>
    </section>
  );
  return (
    <main className="flex min-h-0 flex-1 flex-col">
      {aiming && (
        <AimDialog
          angle={angle}
          shown={measured.tuner && standing(measured.tuner, measured.at, trim.now)}
          onClose={() => setAiming(false)}
        />
      )}
      {copying && (
        <CopyTrim
          angle={angle}
          stage={trim.kept}
          clipId={place.forClip ? (ownClip?.id ?? null) : null}
          onClose={() => setCopying(false)}
        />
      )}
      {error ? (
        <Problem
          error={error}
          onRetry={() => {
            reference.view.retry();
            own.view.retry();
          }}
        />
      ) : null}
      <div className="flex min-h-0 flex-1">
        <Pictures
          angle={angle}
          clips={clips}
          frames={frames}
          views={[reference, own]}
          hand={hand}
          place={place}
          held={held}
          compared={compared?.number ?? null}
          tried={tried ? `tried as ${nameOf(tried.encoding)}, ${tried.levels}` : null}
          beside={tried !== null && beside}
          layer={(side) => (
            <>
              {(place.mark === "stops" || place.mark === "neutral") && (
                <OverlayLines
                  kind={place.mark}
                  stop={place.stop}
                  seen={side === 0 ? seenOf(place, clips[0], frames[0], left, { side: 0 }) : seen}
                  side={side}
                  hand={hand}
                  zoom={place.zoom}
                />
              )}
              {place.scoped[side] && (
                <RegionFrame region={place.scoped[side]} view={regionOf(place.zoom, side)} />
              )}
              {place.panel === "match" && scene.shown && !isOwnBoth && (
                <PlacesLayer side={side} scene={scene} hand={hand} zoom={place.zoom} />
              )}
              <ProbesLayer
                side={side}
                clip={clips[side]}
                probes={probes}
                hand={hand}
                zoom={place.zoom}
              />
              <PointLine side={side} clip={clips[side]} probes={probes} />
            </>
          )}
          drawing={drawing}
          onPick={probes.pick}
          onPoint={probes.point}
          onPlace={bench.set}
        />
        {wipe && place.scopes && (
          <aside className="rule flex w-[340px] shrink-0 flex-col border-l bg-base-200">
            <div className="min-h-0 flex-1">{scopes}</div>
          </aside>
        )}
      </div>
      <div className="rule flex shrink-0 border-y bg-base-200">
        <div className="w-44 shrink-0 p-2">
          <p className="flex items-center gap-2 font-semibold">
            <StateMark state={angle.state as State} />
            {angle.angle.letter} {place.match ? STATE_WORDS[angle.state as State] : "as shot"}
          </p>
          {place.match && angle.reason && (
            <p className="line-clamp-3 text-2xs" title={angle.reason}>
              {angle.reason}
            </p>
          )}
          <p className="faint text-2xs">
            {angle.match
              ? figure(angle.match, place.match)
              : "no match yet: fit to charts, or match from the picture"}
          </p>
          {measured.sources.length > 0 && (
            <label className="flex items-center gap-1 text-2xs" title={measured.words}>
              <span className="faint">from</span>
              <select
                className="select select-xs h-5 min-h-0 w-26 px-1 text-2xs"
                aria-label="What the tuner measures on"
                value={measured.source ?? ""}
                onChange={(e) => setSource(e.target.value as Source)}
              >
                {measured.sources.map((s) => (
                  <option key={s} value={s}>
                    {SOURCES[s]}
                  </option>
                ))}
              </select>
              <button
                type="button"
                className="btn btn-xs h-5 min-h-0 px-1.5 text-2xs"
                title="Where the needles should stand on purpose"
                onClick={(event) => {
                  event.preventDefault();
                  setAiming(true);
                }}
              >
                Aim …
              </button>
            </label>
          )}
          {angle.match && place.match && (known?.differences.length ?? 0) > 0 && (
            <p className="text-2xs" title="What the files state otherwise than on the chart's clip">
              may not hold here: {known?.differences.join("; ")}
            </p>
          )}
        </div>
        <div className="flex min-w-0 flex-1 flex-col">
          <TunerHand
            measured={measured.tuner}
            measuredAt={measured.at}
            turn={measured.turn}
            expected={measured.expected}
            aim={measured.aim}
            isFresh={measured.isFresh}
            trim={trim}
            disabled={!canTurn}
          />
          <ProbeLine probes={probes} onOpen={() => bench.set({ panel: "probes" })} />
        </div>
      </div>
      {!wipe && place.scopes && (
        <div className="flex h-[clamp(210px,34vh,400px)] shrink-0">
          {scopes}
          {panels}
        </div>
      )}
      {wipe && (
        // The picture comes first in a wipe: what is not in use is a row of names.
        <div className={`flex shrink-0 ${place.panel === "match" ? "h-9" : "h-[232px]"}`}>
          {panels}
        </div>
      )}
    </main>
  );
}

/** The reference camera's own encoding, which looks may be made for. */
function referenceOf({ reference: { letter, encoding, levels } }: Angle) {
  return { letter, encoding, levels };
}

function BalanceUnderHand({
  hand,
  ...rest
}: { hand: HandStore } & Omit<ComponentProps<typeof BalancePanel>, "dials" | "onDials">) {
  const dials = useStore(hand, (now) => now.dials);
  return (
    <BalancePanel {...rest} dials={dials} onDials={(next) => hand.setState({ dials: next })} />
  );
}

type LookProps = ComponentProps<typeof LookPanel>;

/** The look, with what its LUTs do to the picture: asked when the hand rests. */
function LookUnderHand({
  hand,
  seen,
  ...rest
}: { hand: HandStore; seen: Seen | null } & Omit<
  LookProps,
  "stage" | "clips" | "greys" | "onStage"
>) {
  const stage = useStore(hand, (now) => now.look);
  const rested = useRested(hand, seen);
  const found = useQuery(diagnosticsQuery(rested)).data;
  return (
    <LookPanel
      {...rest}
      stage={stage}
      clips={found?.lut_clips ?? []}
      greys={found?.lut_greys ?? []}
      onStage={(next) => hand.setState({ look: next })}
    />
  );
}

/** The skins among the probes, for the vectorscope: read as they come, without React. */
function useSkins(probes: Probes): SkinsStore {
  const { reader } = probes;
  return useMemo(
    () => ({
      get: () =>
        (reader.getSnapshot().data ?? [])
          .filter((probe) => probe.is_skin)
          .map(({ name, sides: [reference, own], apart }) => ({
            name: name || "skin",
            reference: reference?.vector ?? null,
            angle: own?.vector ?? null,
            stops: apart?.stops ?? null,
          })),
      subscribe: reader.subscribe,
    }),
    [reader],
  );
}

const SOURCES: Record<Source, string> = {
  chart: "the chart",
  areas: "probes",
  skin: "the skin",
  scene: "places",
  picture: "statistics",
};

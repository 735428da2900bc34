import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { type Angle, api, unwrap } from "@/api/client";
import { afterChange, angleQuery } from "@/api/queries";
import { TopLine } from "@/app/TopLine";
import { useAngleKeys } from "@/app/useAngleKeys";
import { Loading, Problem } from "@/shared/Feedback";
import { choiceOf, type FitChoice, fitBody, withArea } from "@/shared/fitChoice";
import { useKept } from "@/shared/useKept";
import { useKeys } from "@/shared/useKeys";
import { type AreasOfSide, ChartPicture, type ChartPictureHandle } from "./ChartPicture";
import { FitPanel } from "./FitPanel";
import { LayoutChoice } from "./LayoutChoice";
import { Target } from "./Target";
import { useNear } from "./useNear";

export function ChartPage() {
  const params = useParams();
  const [production, light, camera] = [params.production, params.light, params.camera].map(
    Number,
  ) as [number, number, number];
  const angle = useQuery(angleQuery(light, camera));
  useAngleKeys(production, light, camera, "chart");
  return (
    <div className="flex h-full flex-col">
      <TopLine
        production={production}
        crumbs={[
          { text: angle.data?.production_name ?? "…", to: `/p/${production}` },
          { text: angle.data?.light_name ?? "…" },
          { text: angle.data ? `${angle.data.angle.letter} ${angle.data.angle.name}` : "…" },
          { text: "chart" },
        ]}
      >
        <CloserButton />
        {angle.data && angle.data.angle.camera_id !== angle.data.reference.camera_id && (
          <Link className="btn btn-sm" to={`/p/${production}/l/${light}/c/${camera}/bench`}>
            Bench
          </Link>
        )}
      </TopLine>
      {angle.isPending && <Loading what="Opening the charts" />}
      {angle.isError && <Problem error={angle.error} onRetry={() => angle.refetch()} />}
      {angle.data && (
        <Charts key={`${light}-${camera}-${angle.data.base_number}`} angle={angle.data} />
      )}
    </div>
  );
}

function CloserButton() {
  const { near, toggle } = useNear();
  return (
    <button type="button" className="btn btn-sm" aria-pressed={near} onClick={toggle}>
      Closer
    </button>
  );
}

const LEAST_AREAS = 12; // colours that a fit of colour needs, areas and patches together

/** What marking areas is for, what is missing, and why Fit waits. */
function AreaHelp({ angle, choice, canFit }: { angle: Angle; choice: FitChoice; canFit: boolean }) {
  const whole = choice.areas.filter((pair) => pair.reference && pair.angle).length;
  const half = choice.areas.length - whole;
  return (
    <output className="absolute inset-x-2 bottom-11 z-10 rounded bg-base-100 p-2">
      Drag over a thing in one picture, then over the same thing in the other: evenly lit, without
      shine. {whole} {whole === 1 ? "area is" : "areas are"} marked in both
      {half > 0 && `, ${half} in one only`}.{" "}
      {canFit
        ? `They take part in the next fit beside the chart's patches.`
        : `Fit waits for a chart: it needs both charts read, or values for ${angle.angle.letter}'s. ` +
          `Areas steady a chart's fit of ${LEAST_AREAS} colours or more; alone they do not make one.`}
    </output>
  );
}

function Charts({ angle }: { angle: Angle }) {
  const client = useQueryClient();
  const reference = useRef<ChartPictureHandle>(null);
  const own = useRef<ChartPictureHandle>(null);
  const isReference = angle.angle.camera_id === angle.reference.camera_id;
  const fit = useMutation({
    mutationFn: (wanted: FitChoice) =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/matches", {
          params: { path: { light_id: angle.light_id, camera_id: angle.angle.camera_id } },
          body: fitBody(wanted, angle),
        }),
      ),
    onSettled: () => afterChange(client, "matching"),
  });
  // What was chosen for the next fit survives a reload, as long as it is for this revision.
  const [choice, keep] = useKept<FitChoice>(
    `fit-${angle.light_id}-${angle.angle.camera_id}-${angle.base_number}`,
    choiceOf(angle),
  );
  const latest = useRef(choice);
  const setChoice = (next: FitChoice | ((now: FitChoice) => FitChoice)) => {
    latest.current = typeof next === "function" ? next(latest.current) : next;
    keep(latest.current);
  };
  const inUse = angle.angle.reading?.layout.slug ?? angle.reference.reading?.layout.slug;
  const [slug, setSlug] = useState(inUse ?? angle.layouts[0]?.slug ?? "");
  const layout = angle.layouts.find((l) => l.slug === slug) ?? angle.layouts[0];
  const [isDrawing, setDrawing] = useState(false);
  const areasOf = (side: "reference" | "angle"): AreasOfSide => ({
    isDrawing,
    drawn: choice.areas.flatMap((pair, i) => {
      const area = pair[side];
      return area ? [{ number: i + 1, area }] : [];
    }),
    onArea: (area) => setChoice((now) => ({ ...now, areas: withArea(now.areas, side, area) })),
  });
  const { toggle } = useNear();
  const [wantsMatched, setMatched] = useState(false);
  const isMatched = wantsMatched && angle.match !== null;
  const canFit =
    !isReference &&
    (angle.reference.reading !== null || choice.values !== "") &&
    angle.angle.reading !== null;
  const doFit = () => {
    if (canFit && !fit.isPending) fit.mutate(choice);
  };
  useKeys({
    f: () => {
      reference.current?.find();
      own.current?.find();
    },
    m: doFit,
    z: toggle,
    b: () => setMatched(!wantsMatched),
    a: () => setDrawing(!isDrawing && !isReference),
  });
  if (!layout) return null;
  return (
    <main className="flex min-h-0 flex-1">
      <div className="rule relative flex w-1/2 min-w-0 flex-col border-r">
        {isDrawing && <AreaHelp angle={angle} choice={choice} canFit={canFit} />}
        <ChartPicture
          ref={reference}
          side={angle.reference}
          lightId={angle.light_id}
          layout={layout}
          production={angle.production_id}
          isMatched={isMatched}
          areas={isReference ? null : areasOf("reference")}
          isReference
        />
        {!isReference && (
          <ChartPicture
            ref={own}
            side={angle.angle}
            lightId={angle.light_id}
            layout={layout}
            production={angle.production_id}
            isMatched={isMatched}
            areas={areasOf("angle")}
          />
        )}
        <div className="flex h-9 shrink-0 items-center gap-2 bg-base-200 px-2">
          <LayoutChoice angle={angle} layout={layout} onLayout={(l) => setSlug(l.slug)} />
          {!isReference && <Target angle={angle} choice={choice} onChoice={setChoice} />}
          {!isReference && angle.match && (
            <button
              type="button"
              className="btn btn-sm ml-auto"
              aria-pressed={isMatched}
              title="Both pictures as shot, or through their chains (B)"
              onClick={() => setMatched(!wantsMatched)}
            >
              As matched
            </button>
          )}
          {!isReference && (
            <button
              type="button"
              className={`btn btn-sm ${angle.match ? "" : "ml-auto"}`}
              aria-pressed={isDrawing}
              title="Drag over something that both cameras saw, in either picture (A)"
              onClick={() => setDrawing(!isDrawing)}
            >
              {isDrawing ? "Done marking" : "Mark areas"}
            </button>
          )}
        </div>
      </div>
      <FitPanel
        angle={angle}
        busy={fit.isPending}
        error={fit.error}
        canFit={canFit}
        choice={choice}
        onChoice={setChoice}
        onFit={doFit}
      />
    </main>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { type Angle, api, unwrap } from "@/api/client";
import { angleQuery } from "@/api/queries";
import { TopLine } from "@/app/TopLine";
import { useAngleKeys } from "@/app/useAngleKeys";
import { Loading, Problem } from "@/shared/Feedback";
import { useKeys } from "@/shared/useKeys";
import { ChartPicture, type ChartPictureHandle } from "./ChartPicture";
import { type FitChoice, fitBody } from "./choice";
import { FitPanel } from "./FitPanel";
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
      {angle.data && <Charts key={`${light}-${camera}`} angle={angle.data} />}
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
          body: fitBody(wanted, angle.newest_number),
        }),
      ),
    onSettled: () => client.invalidateQueries(),
  });
  const [choice, setChoice] = useState<FitChoice>(() => ({
    model: (angle.match?.asked ?? "averaged") as FitChoice["model"],
    skins: (angle.match?.weights.length ?? 0) > 0,
    leaveOut:
      angle.match?.residuals.filter((r) => r.left_out === "by hand").map((r) => r.index) ?? [],
  }));
  const { toggle } = useNear();
  const canFit = !isReference && angle.reference.reading !== null && angle.angle.reading !== null;
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
  });
  return (
    <main className="flex min-h-0 flex-1">
      <div className="rule flex w-1/2 min-w-0 flex-col border-r">
        <ChartPicture ref={reference} side={angle.reference} isReference />
        {!isReference && <ChartPicture ref={own} side={angle.angle} />}
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

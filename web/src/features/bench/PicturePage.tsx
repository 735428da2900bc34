import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import type { ChainDocument } from "@/api/draft";
import { angleQuery } from "@/api/queries";
import { useShownOnBench } from "./cleanWindow";
import { PictureCanvas } from "./PictureCanvas";
import { useBenchPlace } from "./useBenchPlace";
import { useDraft } from "./useDraft";
import { ofClip, pickClip, viewChain } from "./viewChain";

/** The picture alone, for a second screen; it follows what is under the hand on the Bench. */
export function PicturePage() {
  const { light = "0", camera = "0" } = useParams();
  const angle = useQuery(angleQuery(Number(light), Number(camera))).data;
  const { place } = useBenchPlace();
  const clips = angle?.angle.clips ?? [];
  const shown = useShownOnBench(Number(light), Number(camera));
  const clip =
    clips.find((c) => c.id === shown?.clip) ?? pickClip(clips, place.kind, place.clips[1]);
  const output = angle?.outputs.find((o) => o.key === place.output)?.stage ?? null;
  const chain = angle
    ? viewChain(
        ofClip(
          angle.angle.chain as ChainDocument,
          clip,
          angle.scene_looks as Record<string, never>,
        ),
        {
          match: place.match,
          output: output as never,
          look: undefined,
          mono: place.mono,
        },
      )
    : null;
  const { draft } = useDraft(clip, shown?.frame ?? place.frames[1], shown?.chain ?? chain, {
    dials: shown?.dials ?? null,
    whole: place.whole,
  });
  return (
    <main className="flex h-full items-center justify-center bg-black">
      {draft && clip && (
        <div
          style={{
            aspectRatio: `${clip.width} / ${clip.height}`,
            width: `min(100vw, calc(100vh * ${clip.width / clip.height}))`,
          }}
        >
          <PictureCanvas parts={[{ picture: draft.picture }]} label={`${draft.clip}, clean`} />
        </div>
      )}
    </main>
  );
}

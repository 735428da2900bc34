import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useParams } from "react-router";
import type { Seen } from "@/api/draft";
import { angleQuery } from "@/api/queries";
import { useShownOnBench } from "./cleanWindow";
import { createHand } from "./hand";
import { PictureCanvas } from "./PictureCanvas";
import { asShot, seenOf } from "./seen";
import { pickClip, useBenchPlace } from "./useBenchPlace";
import { usePictureView } from "./usePictureView";

/** The whole picture, however near the Bench looks. */
const asItIs = ({ region: _, ...seen }: Seen): Seen => seen;

/** The picture alone, for a second screen; it follows what is under the hand on the Bench. */
export function PicturePage() {
  const { light = "0", camera = "0" } = useParams();
  const angle = useQuery(angleQuery(Number(light), Number(camera))).data;
  const { place } = useBenchPlace();
  const clips = angle?.angle.clips ?? [];
  const shown = useShownOnBench(Number(light), Number(camera));
  const clip =
    clips.find((c) => c.id === shown?.subject.id) ?? pickClip(clips, place.kind, place.clips[1]);
  const [hand] = useState(createHand);
  const own = seenOf(place, clip, place.frames[1], place.match ? {} : asShot);
  const { view, label } = usePictureView(shown ?? own, hand, asItIs);
  const parts = useMemo(() => [{ view, side: 1 as const }], [view]);
  return (
    <main className="flex h-full items-center justify-center bg-black">
      {label && clip && (
        <div
          style={{
            aspectRatio: `${clip.width} / ${clip.height}`,
            width: `min(100vw, calc(100vh * ${clip.width / clip.height}))`,
          }}
        >
          <PictureCanvas parts={parts} label={`${label.name}, clean`} />
        </div>
      )}
    </main>
  );
}

import type { RefObject } from "react";
import type { Clip, Point } from "@/api/client";
import { pictureUrl } from "@/api/queries";

const ZOOM = 5;
const SIZE = 132;

/** The picture around a handle, enlarged, on the side where the handle is not. */
export function Loupe({
  clip,
  at,
  box,
}: {
  clip: Clip;
  at: Point;
  box: RefObject<HTMLDivElement | null>;
}) {
  const width = box.current?.clientWidth ?? 640;
  const scale = (width / clip.width) * ZOOM;
  const left = at[0] < clip.width / 2;
  return (
    <div
      aria-hidden="true"
      className="pointer-events-none absolute bottom-3 overflow-hidden rounded-full border-2 border-white shadow-lg"
      style={{
        width: SIZE,
        height: SIZE,
        [left ? "right" : "left"]: 12,
        backgroundImage: `url(${pictureUrl(clip.id, 0, clip.width, "input")})`,
        backgroundSize: `${clip.width * scale}px ${clip.height * scale}px`,
        backgroundPosition: `${SIZE / 2 - (at[0] + 0.5) * scale}px ${SIZE / 2 - (at[1] + 0.5) * scale}px`,
        imageRendering: "pixelated",
      }}
    >
      <svg viewBox="0 0 132 132" className="h-full w-full" aria-hidden="true">
        <path d="M66 46v40M46 66h40" stroke="#000" strokeWidth="3" opacity=".5" />
        <path d="M66 46v40M46 66h40" stroke="#fff" strokeWidth="1" />
      </svg>
    </div>
  );
}

import { useLayoutEffect, useRef } from "react";
import type { HandStore } from "./hand";
import type { PictureView, Shown } from "./pictureView";
import { onScreen, regionOf, type Shares, type Zoom } from "./seen";

type Clip = "left" | "right" | "top" | "bottom";
type Part = { view: PictureView; clip?: Clip; side: 0 | 1 };
const WHOLE: Shares = [0, 0, 1, 1];

/**
 * Pictures, drawn as they come and without React; a wipe shows parts of two. A picture is drawn
 * before its label is changed, in the same frame. Under a hand that zooms or moves, what is there
 * already is drawn where it belongs until the part that is looked at has come.
 */
export function PictureCanvas({
  parts,
  wipe,
  hand,
  zoom,
  label,
}: {
  parts: readonly Part[];
  /** Where the border is, in per cent, unless the hand has it. */
  wipe?: { at: number };
  hand?: HandStore;
  /** What is on screen, unless the hand has it. */
  zoom?: Zoom;
  label: string;
}) {
  const ref = useRef<HTMLCanvasElement>(null);
  const rest = wipe?.at ?? 50;
  useLayoutEffect(() => {
    const canvas = ref.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context) return;
    let frame = 0;
    const paint = () => {
      const first = parts[0]?.view.shown;
      if (!first || parts.some(({ view }) => !view.shown)) return;
      const ratio = window.devicePixelRatio || 1;
      const now = hand?.getState();
      const near = now?.zoom ?? zoom;
      const regions = parts.map(({ side }) => (near ? regionOf(near, side) : null));
      const isPart = regions.some(Boolean) || parts.some(({ view }) => view.shown?.header.region);
      // Whole pictures are drawn as they are; parts at the screen's own pixels.
      const size = isPart
        ? [Math.round(canvas.clientWidth * ratio), Math.round(canvas.clientHeight * ratio)]
        : [first.picture.width, first.picture.height];
      if (canvas.width !== size[0]) canvas.width = size[0] as number;
      if (canvas.height !== size[1]) canvas.height = size[1] as number;
      const room = Math.ceil((canvas.clientWidth * ratio) / 16) * 16;
      for (const { view } of parts) view.room = room;
      const share = (now?.at ?? rest) / 100;
      parts.forEach(({ view, clip }, i) => {
        drawPart(context, view, regions[i] ?? WHOLE, clip, share);
      });
      canvas.dataset.drawn = "yes";
      canvas.dataset.clip = parts.map(({ view }) => view.shown?.header.name).join(" ");
      canvas.dataset.region = parts.map(({ view }) => view.shown?.header.region ?? "all").join(" ");
    };
    const stops = parts.map(({ view }) => view.paintWith(paint));
    const stop = hand?.subscribe((now, before) => {
      if (now.at === before.at && now.zoom === before.zoom) return;
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(paint);
    });
    return () => {
      for (const off of stops) off();
      stop?.();
      cancelAnimationFrame(frame);
    };
  }, [parts, hand, rest, zoom]);
  return <canvas ref={ref} role="img" aria-label={label} className="block h-full w-full" />;
}

function drawPart(
  context: CanvasRenderingContext2D,
  view: PictureView,
  region: Shares,
  clip: Clip | undefined,
  share: number,
): void {
  const { width: w, height: h } = context.canvas;
  const x = Math.round(w * share);
  const y = Math.round(h * share);
  context.save();
  context.beginPath();
  if (clip === "left") context.rect(0, 0, x, h);
  else if (clip === "right") context.rect(x, 0, w - x, h);
  else if (clip === "top") context.rect(0, 0, w, y);
  else if (clip === "bottom") context.rect(0, y, w, h - y);
  else context.rect(0, 0, w, h);
  context.clip();
  const shown = view.shown as Shown;
  const isWhole = region === WHOLE && !shown.header.region;
  if (!isWhole) {
    context.fillStyle = "#1a1a1a";
    context.fillRect(0, 0, w, h);
    if (view.backdrop && view.backdrop !== shown) drawAt(context, view.backdrop, region);
  }
  drawAt(context, shown, region);
  context.restore();
}

/** Draw what is shown of a frame where it lies on screen; single pixels stay squares. */
function drawAt(context: CanvasRenderingContext2D, { picture, header }: Shown, region: Shares) {
  const { width, height } = context.canvas;
  const [left, top, wide, high] = header.region ?? WHOLE;
  const [x0, y0] = onScreen(region, left, top);
  const [x1, y1] = onScreen(region, left + wide, top + high);
  context.imageSmoothingEnabled = !header.region || width / (header.pixels * region[2]) < 3;
  context.drawImage(picture, x0 * width, y0 * height, (x1 - x0) * width, (y1 - y0) * height);
}

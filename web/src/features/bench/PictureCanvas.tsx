import { useLayoutEffect, useRef } from "react";
import type { HandStore } from "./hand";
import type { PictureView } from "./pictureView";

type Part = { view: PictureView; clip?: "left" | "right" | "top" | "bottom" };

/**
 * Pictures, drawn as they come and without React; a wipe shows parts of two. A picture is drawn
 * before its label is changed, in the same frame.
 */
export function PictureCanvas({
  parts,
  wipe,
  label,
}: {
  parts: readonly Part[];
  /** Where the border is, in per cent, unless the hand has it. */
  wipe?: { hand: HandStore; at: number };
  label: string;
}) {
  const ref = useRef<HTMLCanvasElement>(null);
  const hand = wipe?.hand;
  const rest = wipe?.at ?? 50;
  useLayoutEffect(() => {
    const canvas = ref.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context) return;
    let frame = 0;
    const paint = () => {
      const first = parts[0]?.view.shown?.picture;
      if (!first || parts.some(({ view }) => !view.shown)) return;
      if (canvas.width !== first.width) canvas.width = first.width;
      if (canvas.height !== first.height) canvas.height = first.height;
      const room = Math.ceil((canvas.clientWidth * (window.devicePixelRatio || 1)) / 16) * 16;
      for (const { view } of parts) view.room = room;
      const share = (hand?.getState().at ?? rest) / 100;
      for (const { view, clip } of parts) {
        if (view.shown) drawPart(context, view.shown.picture, clip, share);
      }
      canvas.dataset.drawn = "yes";
      canvas.dataset.clip = parts.map(({ view }) => view.shown?.header.clip).join(" ");
    };
    const stops = parts.map(({ view }) => view.paintWith(paint));
    const stop = hand?.subscribe((now, before) => {
      if (now.at === before.at) return;
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(paint);
    });
    return () => {
      for (const off of stops) off();
      stop?.();
      cancelAnimationFrame(frame);
    };
  }, [parts, hand, rest]);
  return <canvas ref={ref} role="img" aria-label={label} className="block h-full w-full" />;
}

function drawPart(
  context: CanvasRenderingContext2D,
  picture: ImageBitmap,
  clip: Part["clip"],
  share: number,
): void {
  const { width: w, height: h } = context.canvas;
  if (!clip) {
    context.drawImage(picture, 0, 0, w, h);
    return;
  }
  const x = Math.round(w * share);
  const y = Math.round(h * share);
  context.save();
  context.beginPath();
  if (clip === "left") context.rect(0, 0, x, h);
  else if (clip === "right") context.rect(x, 0, w - x, h);
  else if (clip === "top") context.rect(0, 0, w, y);
  else context.rect(0, y, w, h - y);
  context.clip();
  context.drawImage(picture, 0, 0, w, h);
  context.restore();
}

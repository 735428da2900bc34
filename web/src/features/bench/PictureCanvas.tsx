import { useLayoutEffect, useRef } from "react";

type Part = { picture: ImageBitmap; clip?: "left" | "right" | "top" | "bottom" };

/** Pictures, drawn before the label beside them is painted; a wipe shows parts of two. */
export function PictureCanvas({
  parts,
  at = 50,
  label,
}: {
  parts: Part[];
  at?: number;
  label: string;
}) {
  const ref = useRef<HTMLCanvasElement>(null);
  useLayoutEffect(() => {
    const canvas = ref.current;
    const first = parts[0]?.picture;
    const context = canvas?.getContext("2d");
    if (!canvas || !first || !context) return;
    canvas.width = first.width;
    canvas.height = first.height;
    const share = at / 100;
    for (const { picture, clip } of parts) {
      context.save();
      context.beginPath();
      const w = canvas.width;
      const h = canvas.height;
      const x = Math.round(w * share);
      const y = Math.round(h * share);
      if (clip === "left") context.rect(0, 0, x, h);
      else if (clip === "right") context.rect(x, 0, w - x, h);
      else if (clip === "top") context.rect(0, 0, w, y);
      else if (clip === "bottom") context.rect(0, y, w, h - y);
      else context.rect(0, 0, w, h);
      context.clip();
      context.drawImage(picture, 0, 0, w, h);
      context.restore();
    }
    canvas.dataset.drawn = "yes";
  }, [parts, at]);
  return <canvas ref={ref} role="img" aria-label={label} className="block h-full w-full" />;
}

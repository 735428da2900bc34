import { useEffect, useRef } from "react";
import { drawParade, drawVectorscope } from "./drawScopes";
import type { PictureView } from "./pictureView";

/** The reference as an outline, the angle as a filled trace, in the same axes. */
export function Scopes({
  reference,
  angle,
  letters,
  stacked,
}: {
  reference: PictureView;
  angle: PictureView;
  letters: [string, string];
  stacked: boolean;
}) {
  const note = `line ${letters[0]}, filled ${letters[1]}`;
  return (
    <div
      className={`flex min-h-0 bg-base-200 ${stacked ? "h-full flex-col" : "rule w-[62%] max-w-[1180px] shrink-0 border-r"}`}
    >
      <Scope
        title="RGB parade"
        note={`${note} · % of signal`}
        grow
        reference={reference}
        angle={angle}
        draw={drawParade}
      />
      <Scope
        title="Vectorscope"
        note={`${note} · skin line: a convention`}
        reference={reference}
        angle={angle}
        draw={drawVectorscope}
        square
      />
    </div>
  );
}

/** Drawn as counts come, without React: once a frame, however many have come. */
function Scope({
  title,
  note,
  reference,
  angle,
  draw,
  grow = false,
  square = false,
}: {
  title: string;
  note: string;
  reference: PictureView;
  angle: PictureView;
  draw: typeof drawParade;
  grow?: boolean;
  square?: boolean;
}) {
  const ref = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const canvas = ref.current;
    if (!canvas) return;
    let handle = 0;
    const paint = () => {
      handle = 0;
      const ratio = window.devicePixelRatio || 1;
      const width = Math.round(canvas.clientWidth * ratio);
      const height = Math.round(canvas.clientHeight * ratio);
      if (!width || !height) return;
      if (canvas.width !== width) canvas.width = width;
      if (canvas.height !== height) canvas.height = height;
      const [line, filled] = [reference.shown?.counts ?? null, angle.shown?.counts ?? null];
      const context = canvas.getContext("2d");
      if (context) draw(context, width, height, ratio, line, filled);
      canvas.dataset.drawn = line && filled ? "yes" : "no";
    };
    const soon = () => {
      if (!handle) handle = requestAnimationFrame(paint);
    };
    soon();
    const stops = [reference.paintWith(soon), angle.paintWith(soon)];
    const watch = new ResizeObserver(soon);
    watch.observe(canvas);
    return () => {
      cancelAnimationFrame(handle);
      for (const stop of stops) stop();
      watch.disconnect();
    };
  }, [reference, angle, draw]);
  return (
    <figure
      className={`flex min-h-0 flex-col p-2 ${grow ? "flex-1" : ""} ${square ? "w-[290px] shrink-0 grow-0 basis-[290px]" : ""}`}
    >
      <figcaption className="mb-1 flex gap-2 truncate">
        <span className="font-semibold">{title}</span>
        <span className="faint truncate text-2xs leading-5">{note}</span>
      </figcaption>
      <canvas
        ref={ref}
        role="img"
        aria-label={`${title}, ${note}`}
        className="min-h-0 w-full flex-1 bg-[#0d0d0d]"
      />
    </figure>
  );
}

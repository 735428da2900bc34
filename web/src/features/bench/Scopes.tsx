import { type ReactNode, useEffect, useMemo, useRef } from "react";
import { drawParade, drawVectorscope, type Skin } from "./drawScopes";
import type { PictureView } from "./pictureView";

/** Skins for the vectorscope, outside of React: they follow the hand. */
export type SkinsStore = {
  get: () => readonly Skin[];
  subscribe: (listener: () => void) => () => void;
};

const NO_SKINS: SkinsStore = { get: () => [], subscribe: () => () => undefined };

/** The reference as an outline, the angle as a filled trace, in the same axes. */
export function Scopes({
  reference,
  angle,
  letters,
  stacked,
  skins = NO_SKINS,
  only = null,
  lowest,
  isPart,
  isDrawn,
  onLowest,
  onRegion,
}: {
  reference: PictureView;
  angle: PictureView;
  letters: [string, string];
  stacked: boolean;
  /** Skins that were picked, where the outputs have them. */
  skins?: SkinsStore;
  /** One scope alone, where the room is wanted for something else. */
  only?: "parade" | "vectorscope" | null;
  /** Whether the parade shows the lowest tenth of the signal. */
  lowest: boolean;
  /** Whether the scopes are of a part of the pictures. */
  isPart: boolean;
  /** Whether that part was drawn, or is about to be. */
  isDrawn: boolean;
  onLowest: () => void;
  onRegion: () => void;
}) {
  const part = isPart ? " · of a part" : "";
  const note = `line ${letters[0]}, filled ${letters[1]}${part}`;
  const drawVector = useMemo(
    () =>
      (...[context, width, height, ratio, line, filled]: Parameters<typeof drawVectorscope>) =>
        drawVectorscope(context, width, height, ratio, line, filled, skins.get()),
    [skins],
  );
  return (
    <div
      className={`flex min-h-0 bg-base-200 ${stacked ? "h-full flex-col" : only ? "rule w-[290px] shrink-0 border-r" : "rule w-[62%] max-w-[1180px] shrink-0 border-r"}`}
    >
      {only !== "vectorscope" && (
        <Scope
          title="RGB parade"
          note={`${note} · % of signal`}
          grow
          reference={reference}
          angle={angle}
          draw={drawParade}
          beside={
            <>
              <button
                type="button"
                className="btn btn-xs h-5 min-h-0 px-1.5"
                aria-pressed={lowest}
                title="The lowest tenth of the signal, magnified (M)"
                onClick={onLowest}
              >
                low
              </button>
              <button
                type="button"
                className="btn btn-xs h-5 min-h-0 px-1.5"
                aria-pressed={isDrawn}
                title="Scopes of a part: press, then draw it in a picture; press again for all of it (X)"
                onClick={onRegion}
              >
                part
              </button>
            </>
          }
        />
      )}
      {only !== "parade" && (
        <Scope
          title="Vectorscope"
          note={`${note} · skin line: a convention`}
          reference={reference}
          angle={angle}
          draw={drawVector}
          again={skins.subscribe}
          square
          stacked={stacked}
        />
      )}
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
  beside,
  again,
  grow = false,
  square = false,
  stacked = false,
}: {
  title: string;
  note: string;
  reference: PictureView;
  angle: PictureView;
  draw: typeof drawParade;
  beside?: ReactNode;
  /** What else it is drawn again for. */
  again?: (paint: () => void) => () => void;
  grow?: boolean;
  square?: boolean;
  /** Under another scope: it gives way where there is little room. */
  stacked?: boolean;
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
    const stops = [reference.paintWith(soon), angle.paintWith(soon), again?.(soon)];
    const watch = new ResizeObserver(soon);
    watch.observe(canvas);
    return () => {
      cancelAnimationFrame(handle);
      for (const stop of stops) stop?.();
      watch.disconnect();
    };
  }, [reference, angle, draw, again]);
  return (
    <figure
      className={`flex flex-col p-2 ${grow ? "min-h-16 flex-1" : "min-h-0"} ${square ? `w-[290px] grow-0 basis-[290px] ${stacked ? "" : "shrink-0"}` : ""}`}
    >
      <figcaption className="mb-1 flex gap-2 truncate">
        <span className="font-semibold">{title}</span>
        <span className="faint truncate text-2xs leading-5">{note}</span>
        {beside && <span className="ml-auto flex shrink-0 gap-1">{beside}</span>}
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

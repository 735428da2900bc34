import { type KeyboardEvent, type PointerEvent, useState } from "react";
import { pictureUrl } from "@/api/queries";

/**
 * A clip's picture that moves through the clip: with the pointer over it, or with the arrow keys
 * where what it stands in has the focus.
 */
export function useStrip(frames: readonly number[]) {
  const [at, setAt] = useState(0);
  const last = frames.length - 1;
  const place = Math.min(at, Math.max(last, 0));
  return {
    frame: frames[place] ?? 0,
    share: last > 0 ? place / last : 0,
    handlers: {
      onPointerMove: (e: PointerEvent<HTMLElement>) => {
        const box = e.currentTarget.getBoundingClientRect();
        if (last > 0 && box.width > 0)
          setAt(
            Math.max(
              0,
              Math.min(last, Math.floor(((e.clientX - box.left) / box.width) * (last + 1))),
            ),
          );
      },
      onPointerLeave: () => setAt(0),
    },
    onKeyDown: (e: KeyboardEvent<HTMLElement>) => {
      if (last < 1 || (e.key !== "ArrowLeft" && e.key !== "ArrowRight")) return;
      e.preventDefault();
      e.stopPropagation();
      setAt(Math.max(0, Math.min(last, place + (e.key === "ArrowRight" ? 1 : -1))));
    },
  };
}

export function Strip({
  clip,
  strip,
  width,
  stage,
  version,
  className,
  alt = "",
  isMissing = false,
}: {
  clip: number;
  strip: ReturnType<typeof useStrip>;
  width: number;
  stage: "input" | "output";
  version: string;
  className: string;
  alt?: string;
  isMissing?: boolean;
}) {
  const [broken, setBroken] = useState("");
  const src = pictureUrl(clip, strip.frame, width, stage, version);
  return (
    <span className={`relative block ${className}`} {...strip.handlers}>
      {broken !== src && (
        <img
          loading="lazy"
          className={`size-full object-contain ${isMissing ? "opacity-40" : ""}`}
          alt={alt}
          src={src}
          onError={() => setBroken(src)}
        />
      )}
      {isMissing && (
        <span className="absolute inset-0 grid place-items-center border border-dashed text-2xs">
          missing
        </span>
      )}
      {strip.frame > 0 && (
        <span
          className="pointer-events-none absolute bottom-0 h-0.5 w-1/8 bg-base-content"
          style={{ left: `${strip.share * 87.5}%` }}
        />
      )}
    </span>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import type { Angle } from "@/api/client";
import { encodingsQuery } from "@/api/queries";
import { TakeAs } from "@/features/encoding";
import { useKeys } from "@/shared/useKeys";

export type Candidate = { encoding: string; levels: "full" | "legal" };

/** Encodings to step through by one key; picture and scopes follow, nothing is kept by looking. */
export function Candidates({
  angle,
  clip,
  tried,
  beside,
  onTry,
  onBeside,
}: {
  angle: Angle;
  /** The angle's clip that is looked at. */
  clip: { id: number; name: string; encoding: string; levels: "full" | "legal" } | undefined;
  tried: Candidate | null;
  beside: boolean;
  onTry: (candidate: Candidate | null) => void;
  onBeside: (beside: boolean) => void;
}) {
  const encodings = useQuery(encodingsQuery(angle.production_id));
  const { encoding, levels } = clip ?? angle.angle;
  const stated: Candidate = useMemo(() => ({ encoding, levels }), [encoding, levels]);
  const list = useMemo(() => {
    const cameras = (encodings.data ?? []).filter((e) => e.kind !== "linear");
    return [...cameras].sort(
      (a, b) => Number(b.slug === stated.encoding) - Number(a.slug === stated.encoding),
    );
  }, [encodings.data, stated]);
  const now = tried ?? stated;
  const step = (by: number) => {
    const at = list.findIndex((e) => e.slug === now.encoding);
    const next = list[(at + by + list.length) % list.length];
    if (next) onTry({ encoding: next.slug, levels: now.levels });
  };
  useKeys({
    n: () => step(1),
    p: () => step(-1),
    l: () => onTry({ ...now, levels: now.levels === "full" ? "legal" : "full" }),
  });
  useEffect(() => {
    document.getElementById(`candidate-${now.encoding}`)?.scrollIntoView?.({ block: "nearest" });
  }, [now.encoding]);
  const [asks, setAsks] = useState(false);
  const named = list.find((e) => e.slug === now.encoding)?.name ?? now.encoding;
  const differs = tried && (tried.encoding !== stated.encoding || tried.levels !== stated.levels);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_200px] gap-4">
      <div
        className="rule overflow-y-auto border bg-base-200"
        role="listbox"
        aria-label="Candidates"
      >
        {list.map((e) => (
          <button
            type="button"
            key={e.slug}
            id={`candidate-${e.slug}`}
            role="option"
            aria-selected={e.slug === now.encoding}
            className={`flex w-full px-2 py-0.5 text-left ${e.slug === now.encoding ? "bg-base-300 font-semibold" : ""}`}
            onClick={() => onTry({ encoding: e.slug, levels: now.levels })}
          >
            <span className="truncate">{e.name}</span>
            {e.slug === stated.encoding && <span className="faint ml-auto">as stated</span>}
          </button>
        ))}
      </div>
      <div className="flex flex-col gap-2">
        <p className="faint text-2xs">
          {angle.angle.letter} as shot, decoded so. N and P step, L changes the levels.
        </p>
        <div className="join">
          {(["full", "legal"] as const).map((levels) => (
            <button
              key={levels}
              type="button"
              className={`btn btn-xs join-item ${now.levels === levels ? "btn-primary" : ""}`}
              aria-pressed={now.levels === levels}
              onClick={() => onTry({ ...now, levels })}
            >
              {levels}
            </button>
          ))}
        </div>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={beside}
            onChange={(e) => onBeside(e.target.checked)}
          />
          beside what is stated
        </label>
        <button
          type="button"
          className="btn btn-xs btn-primary"
          disabled={!differs || !clip}
          onClick={() => setAsks(true)}
        >
          Take it so …
        </button>
        <button type="button" className="btn btn-xs" disabled={!tried} onClick={() => onTry(null)}>
          As stated
        </button>
        {asks && clip && (
          <TakeAs
            clip={clip}
            {...now}
            name={named}
            letter={angle.angle.letter}
            light={angle.light_name}
            base={angle.head}
            onClose={() => setAsks(false)}
            onDone={() => onTry(null)}
          />
        )}
      </div>
    </div>
  );
}

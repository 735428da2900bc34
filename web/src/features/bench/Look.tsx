import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useRef, useState } from "react";
import { api, type LookLut, type Over, type Schemas, toProblem, unwrap } from "@/api/client";
import { Dial } from "@/shared/Dial";
import { Problem } from "@/shared/Feedback";
import { type Cdl, CdlDials, PLAIN_CDL } from "./CdlDials";

export type Step =
  | { kind: "cdl"; cdl: Cdl; encoding: string; levels: string; mix: number }
  | {
      kind: "lut";
      sha256: string;
      encoding: string;
      levels: string;
      to: string | null;
      mix: number;
    };

export type LookStage = { kind: "look"; steps: Step[] };

type Scope = "production" | "light" | "scene";

const LOG = "acescct/ap1";

/** Words where a LUT makes of middle grey and a stop what no look would: it is for other values. */
export function misfitOf(response: readonly [number, number] | null, isDisplay: boolean): string {
  if (!response) return "";
  const [grey, contrast] = response;
  const words = [];
  if (isDisplay) {
    if (grey < 0.2 || grey > 0.65)
      words.push(
        `shows middle grey at ${(grey * 100).toFixed(0)} % of the signal (usual: 35 to 50 %)`,
      );
    if (contrast < 0.07 || contrast > 0.21)
      words.push(
        `makes ${(contrast * 100).toFixed(0)} % of the signal out of one stop (usual: 10 to 18 %)`,
      );
  } else {
    if (Math.abs(grey) > 1.5)
      words.push(
        `takes middle grey ${Math.abs(grey).toFixed(1)} stops ${grey > 0 ? "up" : "down"}`,
      );
    if (contrast < 0.55 || contrast > 1.8)
      words.push(`makes ${contrast.toFixed(1)} stops of one stop`);
  }
  return words.length
    ? `It ${words.join(", and ")}: it is hardly made for what it is said to work on.`
    : "";
}

/** Move one step of the list; what is beyond its ends stays. */
export function moved(steps: Step[], from: number, by: number): Step[] {
  const to = from + by;
  if (to < 0 || to >= steps.length) return steps;
  const out = steps.slice();
  const [step] = out.splice(from, 1);
  if (step) out.splice(to, 0, step);
  return out;
}

/** One look over everything: a short list of CDLs and LUTs, in order. */
type Correction = Schemas["CorrectionOut"];

/** A correction that lies beside a clip, as if a person had chosen it. */
async function fetchSidecar(clip: number, name: string): Promise<File> {
  const answer = await fetch(`/api/clips/${clip}/sidecar?name=${encodeURIComponent(name)}`);
  if (!answer.ok) throw toProblem(await answer.json());
  return new File([await answer.blob()], name);
}

export function LookPanel({
  production,
  light,
  scene = "",
  reference,
  over,
  stage,
  clips,
  greys = [],
  beside = null,
  onStage,
}: {
  production: number;
  light: { id: number; name: string };
  /** Of the angle's clip on screen, where its files say it. */
  scene?: string;
  reference: { letter: string; encoding: string; levels: string };
  over: Over;
  /** What is under the hand; undefined where it is as kept. */
  stage: LookStage | undefined;
  /** Share of the angle's picture that each LUT of the list clips, in order. */
  clips: readonly number[];
  /** What each makes of middle grey and of a stop: in stops, or in signal for one to a display. */
  greys?: readonly (readonly [number, number])[];
  /** LUTs and CDLs that came with the clip on screen. */
  beside?: { clip: number; files: readonly string[] } | null;
  onStage: (stage: LookStage | undefined) => void;
}) {
  const client = useQueryClient();
  const none = { number: 0, stage: null };
  const rows = {
    production: over.look,
    light: over.exception,
    scene: over.scenes.find((s) => s.scene === scene) ?? none,
  };
  // What holds here now: the scene's exception, else the light's, else the production's look.
  const inForce: Scope = rows.scene.stage ? "scene" : rows.light.stage ? "light" : "production";
  const [scope, setScope] = useState<Scope>(inForce);
  const own = scope === "scene" && !scene ? "production" : scope;
  const beneath = own === "scene" ? (rows.light.stage ?? rows.production.stage) : over.look.stage;
  const kept = (rows[own].stage ??
    beneath ?? {
      kind: "look",
      steps: [],
    }) as unknown as LookStage;
  const steps = (stage ?? kept).steps;
  const [at, setAt] = useState(0);
  const file = useRef<HTMLInputElement>(null);
  const [collection, setCollection] = useState<Correction[]>([]);
  const put = (next: Step[]) => onStage({ kind: "look", steps: next });
  const change = (i: number, changes: Partial<Step>) =>
    put(steps.map((s, k) => (k === i ? ({ ...s, ...changes } as Step) : s)));
  const add = (step: Step) => {
    const last = steps.at(-1);
    const ends = last?.kind === "lut" && last.to !== null;
    put(ends ? [...steps.slice(0, -1), step, last] : [...steps, step]);
    setAt(ends ? steps.length - 1 : steps.length);
  };
  const send = async (stage: LookStage | null) => {
    const body = {
      stage: stage as Record<string, unknown> | null,
      base_number: rows[own].number,
      scene: own === "scene" ? scene : "",
    };
    return own === "light"
      ? unwrap(
          api.POST("/api/lights/{light_id}/look", {
            params: { path: { light_id: light.id } },
            body,
          }),
        )
      : unwrap(
          api.POST("/api/productions/{production_id}/look", {
            params: { path: { production_id: production } },
            body,
          }),
        );
  };
  const keep = useMutation({
    mutationFn: () => send({ kind: "look", steps }),
    onSuccess: async () => {
      await client.invalidateQueries();
      onStage(undefined);
    },
  });
  const rejoin = useMutation({
    mutationFn: () => send(null),
    onSuccess: async () => {
      await client.invalidateQueries();
      setScope("production");
      onStage(undefined);
    },
  });
  const bring = useMutation({
    mutationFn: async (found: File | (() => Promise<File>)) => {
      const chosen = typeof found === "function" ? await found() : found;
      const body = new FormData();
      body.append("file", chosen);
      const serial = { body: body as never, bodySerializer: (b: unknown) => b as never };
      if (/\.(cc|ccc|cdl)$/i.test(chosen.name)) {
        const rows = await unwrap(api.POST("/api/cdls/read", serial));
        return { corrections: rows };
      }
      return {
        lut: await unwrap(
          api.POST("/api/productions/{production_id}/luts", {
            params: { path: { production_id: production } },
            ...serial,
          }),
        ),
      };
    },
    onSuccess: async (found) => {
      // Of a collection a person chooses; one alone is what was meant.
      if (found.corrections?.length === 1) addCdl(found.corrections[0] as Correction);
      else if (found.corrections) setCollection(found.corrections as Correction[]);
      if (found.lut) {
        await client.invalidateQueries({ queryKey: ["over"] });
        addLut(found.lut);
      }
    },
  });
  const addCdl = (row: Correction | undefined) => {
    setCollection([]);
    if (row) add({ kind: "cdl", cdl: row.cdl as Cdl, encoding: LOG, levels: "full", mix: 1 });
  };
  const addLut = (lut: LookLut) =>
    add({ kind: "lut", sha256: lut.sha256, encoding: LOG, levels: "full", to: null, mix: 1 });
  const step = steps[at];
  const lut = step?.kind === "lut" ? over.luts.find((l) => l.sha256 === step.sha256) : undefined;
  const lutAt = steps.slice(0, at).filter((s) => s.kind === "lut").length;
  const clipped = clips[lutAt] ?? null;
  const misfit = step?.kind === "lut" ? misfitOf(greys[lutAt] ?? null, step.to !== null) : "";
  const places: [string, string, string][] = [
    [LOG, "full", "in the working log (ACEScct)"],
    [reference.encoding, reference.levels, `in ${reference.letter}'s code values`],
    ["rec709", "full", "in display values (Rec.709)"],
  ];
  const error = bring.error ?? keep.error ?? rejoin.error;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] gap-4">
      <div className="flex flex-col gap-1.5">
        <ol className="rule min-h-16 border bg-base-200" aria-label="Steps of the look">
          {steps.map((s, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a step has no name but its place
            <li key={i} className={`flex items-center ${i === at ? "bg-base-300" : ""}`}>
              <button
                type="button"
                className="min-w-0 flex-1 truncate px-2 py-0.5 text-left"
                onClick={() => setAt(i)}
              >
                {i + 1}{" "}
                {s.kind === "cdl"
                  ? "CDL"
                  : (over.luts.find((l) => l.sha256 === s.sha256)?.name ?? "a LUT")}
                {s.mix < 1 && <span className="faint"> {Math.round(s.mix * 100)} %</span>}
              </button>
              {(
                [
                  ["Earlier", -1, ArrowUp],
                  ["Later", 1, ArrowDown],
                ] as const
              ).map(([text, by, Icon]) => (
                <button
                  key={text}
                  type="button"
                  className="btn btn-xs btn-square"
                  aria-label={`${text}: step ${i + 1}`}
                  onClick={() => {
                    put(moved(steps, i, by));
                    setAt(Math.max(0, Math.min(steps.length - 1, i + by)));
                  }}
                >
                  <Icon size={12} />
                </button>
              ))}
              <button
                type="button"
                className="btn btn-xs btn-square"
                aria-label={`Remove step ${i + 1}`}
                onClick={() => {
                  put(steps.filter((_, k) => k !== i));
                  setAt(0);
                }}
              >
                <X size={12} />
              </button>
            </li>
          ))}
          {!steps.length && <li className="faint p-2">No look: the cameras as they are.</li>}
        </ol>
        <div className="flex flex-wrap gap-1.5">
          <button
            type="button"
            className="btn btn-xs"
            onClick={() =>
              add({ kind: "cdl", cdl: PLAIN_CDL, encoding: LOG, levels: "full", mix: 1 })
            }
          >
            + CDL
          </button>
          <button type="button" className="btn btn-xs" onClick={() => file.current?.click()}>
            + LUT or CDL file…
          </button>
          <input
            ref={file}
            type="file"
            className="hidden"
            aria-label="LUT or CDL file"
            accept=".cube,.3dl,.clf,.ctf,.cc,.ccc,.cdl"
            onChange={(e) => {
              const chosen = e.target.files?.[0];
              if (chosen) bring.mutate(chosen);
              e.target.value = "";
            }}
          />
          {collection.length > 0 && (
            <select
              className="select select-xs w-44"
              aria-label="Corrections of the collection"
              value=""
              onChange={(e) => addCdl(collection[Number(e.target.value)])}
            >
              <option value="">which of {collection.length}?</option>
              {collection.map((row, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: names may repeat, the order is fixed
                <option key={i} value={i}>
                  {row.name || `correction ${i + 1}`} {row.description}
                </option>
              ))}
            </select>
          )}
          {beside?.files.map((path) => {
            const name = path.slice(path.lastIndexOf("/") + 1);
            return (
              <button
                key={path}
                type="button"
                className="btn btn-xs"
                title="It came with the clip, and is not applied unless it is added here"
                onClick={() => bring.mutate(() => fetchSidecar(beside.clip, name))}
              >
                + {name}
              </button>
            );
          })}
          {over.luts.length > 0 && (
            <select
              className="select select-xs w-28"
              aria-label="A LUT that was brought in"
              value=""
              onChange={(e) => {
                const chosen = over.luts.find((l) => l.sha256 === e.target.value);
                if (chosen) addLut(chosen);
              }}
            >
              <option value="">+ LUT…</option>
              {over.luts.map((l) => (
                <option key={l.sha256} value={l.sha256}>
                  {l.name}
                </option>
              ))}
            </select>
          )}
        </div>
        <label className="flex items-center gap-2">
          holds for
          <select
            className="select select-xs min-w-0 flex-1"
            aria-label="What the look holds for"
            value={own}
            onChange={(e) => setScope(e.target.value as Scope)}
          >
            <option value="production">the whole production</option>
            <option value="light">only {light.name}</option>
            {scene && <option value="scene">only scene {scene}</option>}
          </select>
        </label>
        {own !== inForce && stage === undefined && (
          <p className="faint text-2xs">
            {own === "production" || inForce === "scene"
              ? `Here ${inForce === "scene" ? `scene ${scene}` : light.name} has a look of its own.`
              : "Nothing of its own yet: it starts from what holds now."}
          </p>
        )}
        <div className="flex items-center gap-2">
          <button
            type="button"
            className="btn btn-xs btn-primary"
            disabled={stage === undefined || keep.isPending}
            onClick={() => keep.mutate()}
          >
            {own === "light"
              ? "Keep for this light"
              : own === "scene"
                ? `Keep for scene ${scene}`
                : "Keep for the production"}
          </button>
          {own !== "production" && rows[own].stage && (
            <button
              type="button"
              className="btn btn-xs"
              disabled={rejoin.isPending}
              onClick={() => rejoin.mutate()}
              title="Take its exception back: it goes with the others again"
            >
              With the others
            </button>
          )}
          <button
            type="button"
            className="btn btn-xs"
            disabled={stage === undefined}
            onClick={() => onStage(undefined)}
          >
            As kept
          </button>
        </div>
        {error && <Problem error={error} />}
      </div>
      {step && (
        <div className="flex flex-col gap-1.5">
          <select
            className="select select-xs w-full"
            aria-label="What the step works on"
            value={`${step.encoding} ${step.levels}`}
            onChange={(e) => {
              const place = places.find(([s, l]) => `${s} ${l}` === e.target.value);
              if (place) change(at, { encoding: place[0], levels: place[1] });
            }}
          >
            {places.map(([slug, levels, text]) => (
              <option key={slug} value={`${slug} ${levels}`}>
                {text}
              </option>
            ))}
          </select>
          {step.kind === "lut" && (
            <>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={step.to !== null}
                  onChange={(e) => {
                    const to = e.target.checked ? "rec709" : null;
                    const next = { ...step, to, mix: to ? 1 : step.mix };
                    // To a display it has to be the last one.
                    put(
                      to
                        ? [...steps.filter((_, k) => k !== at), next]
                        : steps.map((s, k) => (k === at ? next : s)),
                    );
                    if (to) setAt(steps.length - 1);
                  }}
                />
                it gives display values (Rec.709): it is the output
              </label>
              <p className="faint text-2xs">
                {lut ? `${lut.kind}, ${lut.size} points.` : "Its file is not here."}
                {lut &&
                  lut.clips_high > 0.01 &&
                  ` It clips the uppermost ${(lut.clips_high * 100).toFixed(0)} % of its input: nothing after it brings that back.`}
                {lut &&
                  lut.clips_low > 0.01 &&
                  ` It crushes the lowest ${(lut.clips_low * 100).toFixed(0)} %.`}
                {clipped !== null &&
                  lut &&
                  lut.clips_high + lut.clips_low > 0.01 &&
                  ` In this picture: ${(clipped * 100).toFixed(1)} % of the pixels.`}
              </p>
              {misfit && (
                <p className="text-2xs" role="status">
                  {misfit}
                </p>
              )}
            </>
          )}
          {step.kind === "cdl" && (
            <>
              <CdlDials cdl={step.cdl} onChange={(cdl) => change(at, { cdl: cdl ?? PLAIN_CDL })} />
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={step.cdl.clamp ?? false}
                  onChange={(e) => change(at, { cdl: { ...step.cdl, clamp: e.target.checked } })}
                />
                clamped to 0–1, as the standard has it
              </label>
            </>
          )}
          {!(step.kind === "lut" && step.to) && (
            <Dial
              label="Mix"
              compact
              value={step.mix * 100}
              low={0}
              high={100}
              step={1}
              neutral={100}
              digits={0}
              unit="%"
              onChange={(v) => change(at, { mix: v / 100 })}
            />
          )}
        </div>
      )}
    </div>
  );
}

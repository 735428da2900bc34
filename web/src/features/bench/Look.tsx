import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useRef, useState } from "react";
import {
  api,
  fileBody,
  type LookLut,
  type Over,
  type Schemas,
  toProblem,
  unwrap,
} from "@/api/client";
import { afterChange } from "@/api/queries";
import { Problem } from "@/shared/Feedback";
import { PLAIN_CDL } from "./CdlDials";
import { LOG, type LookStage, moved, type Step } from "./lookSteps";
import { StepSettings } from "./StepSettings";

type Scope = "production" | "light" | "scene";

type Correction = Schemas["CorrectionOut"];

/** A correction that lies beside a clip, as if a person had chosen it. */
async function fetchSidecar(clip: number, name: string): Promise<File> {
  const answer = await fetch(`/api/clips/${clip}/sidecar?name=${encodeURIComponent(name)}`);
  if (!answer.ok) throw toProblem(await answer.json());
  return new File([await answer.blob()], name);
}

/** One look over everything: a short list of CDLs and LUTs, in order. */
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
  const kept: LookStage = rows[own].stage ?? beneath ?? { kind: "look", steps: [] };
  const steps = (stage ?? kept).steps;
  const [at, setAt] = useState(0);
  const file = useRef<HTMLInputElement>(null);
  const [collection, setCollection] = useState<Correction[]>([]);
  const put = (next: Step[]) => onStage({ kind: "look", steps: next });
  const change = (i: number, changes: Partial<Step>) =>
    put(steps.map((s, k) => (k === i ? ({ ...s, ...changes } as Step) : s)));
  const add = (step: Step) => {
    const last = steps.at(-1);
    const ends = last?.kind === "lut" && Boolean(last.to);
    put(ends ? [...steps.slice(0, -1), step, last] : [...steps, step]);
    setAt(ends ? steps.length - 1 : steps.length);
  };
  const send = async (stage: LookStage | null) => {
    const body = {
      stage,
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
      await afterChange(client, "look");
      onStage(undefined);
    },
  });
  const rejoin = useMutation({
    mutationFn: () => send(null),
    onSuccess: async () => {
      await afterChange(client, "look");
      setScope("production");
      onStage(undefined);
    },
  });
  const bring = useMutation({
    mutationFn: async (found: File | (() => Promise<File>)) => {
      const chosen = typeof found === "function" ? await found() : found;
      if (/\.(cc|ccc|cdl)$/i.test(chosen.name)) {
        const rows = await unwrap(api.POST("/api/cdls/read", fileBody(chosen)));
        return { corrections: rows };
      }
      return {
        lut: await unwrap(
          api.POST("/api/productions/{production_id}/luts", {
            params: { path: { production_id: production } },
            ...fileBody(chosen),
          }),
        ),
      };
    },
    onSuccess: async (found) => {
      // Of a collection a person chooses; one alone is what was meant.
      if (found.corrections?.length === 1) addCdl(found.corrections[0]);
      else if (found.corrections) setCollection(found.corrections);
      if (found.lut) {
        await client.invalidateQueries({ queryKey: ["over"] });
        addLut(found.lut);
      }
    },
  });
  const addCdl = (row: Correction | undefined) => {
    setCollection([]);
    if (row) add({ kind: "cdl", cdl: row.cdl, encoding: LOG, levels: "full", mix: 1 });
  };
  const addLut = (lut: LookLut) =>
    add({ kind: "lut", sha256: lut.sha256, encoding: LOG, levels: "full", to: null, mix: 1 });
  const step = steps[at];
  const lut = step?.kind === "lut" ? over.luts.find((l) => l.sha256 === step.sha256) : undefined;
  const lutAt = steps.slice(0, at).filter((s) => s.kind === "lut").length;
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
        <StepSettings
          step={step}
          reference={reference}
          lut={lut}
          clipped={clips[lutAt] ?? null}
          response={greys[lutAt] ?? null}
          onChange={(changes) => change(at, changes)}
          onDisplay={(to) => {
            if (step.kind !== "lut") return;
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
      )}
    </div>
  );
}

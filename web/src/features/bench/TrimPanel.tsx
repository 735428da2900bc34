import type { Schemas } from "@/api/client";
import { Problem } from "@/shared/Feedback";
import type { Probes } from "./probes/useProbes";
import { Curves } from "./trim/Curves";
import { Detail } from "./trim/Detail";
import { Hues } from "./trim/Hues";
import { Light } from "./trim/Light";
import { Pairs } from "./trim/Pairs";
import type { PartProps } from "./trim/part";
import { Tone } from "./trim/Tone";
import { bypassed, full, isNeutral, PARTS, type Part, type TrimStage, without } from "./trimParts";
import type { TrimUnderHand } from "./useTrim";

/** The trim's parts in signal order: one is open, each is bypassed and taken back by itself. */
export function TrimPanel({
  trim,
  part,
  forClip,
  clipName,
  probes,
  effect,
  hues,
  onPart,
  onFor,
  onCopy,
}: {
  trim: TrimUnderHand;
  part: Part;
  forClip: boolean;
  clipName: string;
  probes: Probes;
  /** What the pairs do beside their own colours. */
  effect: Schemas["PairEffectOut"] | null;
  /** Colours of both pictures, to turn hues against. */
  hues: Schemas["HuesOut"] | null;
  onPart: (part: Part) => void;
  onFor: (forClip: boolean) => void;
  onCopy: () => void;
}) {
  const now = full(trim.now);
  const set = (changes: TrimStage) => trim.set({ ...trim.now, ...changes });
  const off = new Set(now.off);
  return (
    <div className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-2">
        <div className="join" role="tablist" aria-label="Parts of the trim">
          {PARTS.map((name) => (
            <button
              key={name}
              type="button"
              role="tab"
              aria-selected={part === name}
              title="Double click takes this part back (N: next part)"
              className={`btn btn-xs join-item px-1.5 capitalize ${part === name ? "btn-primary" : ""} ${off.has(name) ? "line-through" : ""}`}
              onClick={() => onPart(name)}
              onDoubleClick={() => trim.set(without(trim.now, name))}
            >
              {name}
              {!isNeutral(trim.now, name) && " •"}
            </button>
          ))}
        </div>
        <select
          className="select select-xs ml-auto w-36"
          aria-label="What the trim acts on"
          value={forClip ? "clip" : "light"}
          onChange={(e) => onFor(e.target.value === "clip")}
        >
          <option value="light">all clips of this light</option>
          <option value="clip">{clipName} adds</option>
        </select>
      </div>
      {trim.row?.is_over_other && <Marked trim={trim} />}
      {trim.beyond.length > 0 && (
        <p className="text-2xs text-warning" role="status">
          Light and clip together: {trim.beyond.join("; ")}. It can only be made less.
        </p>
      )}
      <PartOf {...{ part, now, set, probes, effect, hues }} />
      <div className="flex items-center gap-2">
        <button
          type="button"
          className="btn btn-xs btn-primary"
          disabled={!trim.isDraft || trim.keep.isPending}
          onClick={() => trim.keep.mutate({ stage: trim.now })}
        >
          Keep
        </button>
        <button
          type="button"
          className="btn btn-xs"
          disabled={!trim.isDraft}
          onClick={() => trim.set(null)}
        >
          As kept
        </button>
        <button
          type="button"
          className="btn btn-xs"
          onClick={() => trim.set(without(trim.now, part))}
        >
          Take {part} back
        </button>
        <button
          type="button"
          className="btn btn-xs"
          disabled={trim.isDraft || !trim.row?.number}
          title={trim.isDraft ? "Keep it first" : "Copy named parts to other lights and cameras"}
          onClick={onCopy}
        >
          Copy …
        </button>
        <label className="flex items-center gap-1 text-2xs">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={off.has(part)}
            onChange={(e) => trim.set(bypassed(trim.now, part, e.target.checked))}
          />
          bypass
        </label>
        <span className="faint truncate text-2xs">
          {trim.isDraft
            ? `${trim.where}: not kept yet`
            : trim.row?.number
              ? `trim ${trim.row.number} of ${trim.where}`
              : `no trim of ${trim.where}`}
        </span>
      </div>
      {(trim.keep.isError || trim.carry.isError) && (
        <Problem error={trim.keep.error ?? trim.carry.error} />
      )}
    </div>
  );
}

/** A trim that was made over a match that is no longer in force: three ways on. */
function Marked({ trim }: { trim: TrimUnderHand }) {
  const over = trim.row?.match_number;
  return (
    <div className="rule flex flex-wrap items-center gap-2 rounded border px-2 py-1" role="status">
      <span>
        Made over {over ? `match ${over}` : "no match"};{" "}
        {trim.matchNumber
          ? `match ${trim.matchNumber} is in force now.`
          : "no match is in force now."}
      </span>
      {(
        [
          ["left", "Keep what is left", "Only what the new match does not do already"],
          ["keep", "Keep as it is", "The same numbers over the new match"],
          ["drop", "Drop", "No trim"],
        ] as const
      ).map(([choice, text, title]) => (
        <button
          key={choice}
          type="button"
          className="btn btn-xs"
          title={title}
          disabled={trim.carry.isPending}
          onClick={() => trim.carry.mutate(choice)}
        >
          {text}
        </button>
      ))}
    </div>
  );
}

function PartOf({
  part,
  probes,
  effect,
  hues,
  ...rest
}: PartProps & {
  part: Part;
  probes: Probes;
  effect: Schemas["PairEffectOut"] | null;
  hues: Schemas["HuesOut"] | null;
}) {
  switch (part) {
    case "light":
      return <Light {...rest} />;
    case "tone":
      return <Tone {...rest} />;
    case "curves":
      return <Curves {...rest} />;
    case "hues":
      return <Hues {...rest} colours={hues} />;
    case "pairs":
      return <Pairs {...rest} probes={probes} effect={effect} />;
    case "detail":
      return <Detail {...rest} />;
  }
}

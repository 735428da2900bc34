import { type ChainDocument, withoutMatch } from "@/api/draft";

type Stage = { kind: string } & Record<string, unknown>;

const ORDER = ["decode", "input", "match", "balance", "look", "output"];
const rank = (kind: string) => ORDER.indexOf(kind.split("-")[0] ?? "");

/** The same chain with one stage put in its place, or taken out where it is null. */
export function withStage(
  chain: ChainDocument,
  kind: "balance" | "look" | "output" | "decode",
  stage: Stage | null,
): ChainDocument {
  const rest = (chain.stages as Stage[]).filter((s) => s.kind.split("-")[0] !== kind);
  if (stage === null) return { ...chain, stages: rest };
  const at = rest.findIndex((s) => rank(s.kind) > rank(stage.kind));
  const stages = at < 0 ? [...rest, stage] : [...rest.slice(0, at), stage, ...rest.slice(at)];
  return { ...chain, stages };
}

/** The clip that is chosen, or the first of a kind. */
export function pickClip<C extends { id: number; kind: string }>(
  clips: readonly C[],
  kind: string,
  chosen: number,
): C | undefined {
  return clips.find((c) => c.id === chosen) ?? clips.find((c) => c.kind === kind) ?? clips[0];
}

/**
 * The chain as it is for one clip: a clip may carry something else than its camera's others do, and
 * its scene may have a look of its own.
 */
export function ofClip(
  chain: ChainDocument,
  clip: { encoding: string; levels: string; scene: string } | undefined,
  looks: Record<string, Stage> = {},
): ChainDocument {
  if (!clip) return chain;
  const { encoding, levels } = clip;
  const taken = withStage(chain, "decode", { kind: "decode", encoding, levels });
  const look = looks[clip.scene];
  return look ? withStage(taken, "look", look) : taken;
}

/** Saturation to zero before the output: colour outside of the gamut then shows as black. */
export function withoutColour(chain: ChainDocument): ChainDocument {
  const look = (chain.stages as Stage[]).find((s) => s.kind === "look");
  const steps = ((look?.steps ?? []) as Stage[]).slice();
  const grey = { kind: "cdl", encoding: "linear/bt709", cdl: { saturation: 0 } };
  const last = steps.at(-1);
  // A LUT to a display has to stay the last step.
  if (last?.kind === "lut" && last.to) steps.splice(steps.length - 1, 0, grey);
  else steps.push(grey);
  return withStage(chain, "look", { kind: "look", steps: steps.slice(-8) });
}

export type View = {
  match: boolean;
  output: Stage | null;
  look: Stage | null | undefined;
  mono: boolean;
};

/** What is looked at, of a chain; nothing of this is kept. */
export function viewChain(chain: ChainDocument, view: View): ChainDocument {
  let out = view.match ? chain : withoutMatch(chain);
  if (view.look !== undefined) out = withStage(out, "look", view.look);
  if (view.output) out = withStage(out, "output", view.output);
  return view.mono ? withoutColour(out) : out;
}

/** The chain as it would be, were the clip encoded so; a match of another encoding falls away. */
export function asEncoded(chain: ChainDocument, encoding: string, levels: string): ChainDocument {
  return withStage(withoutMatch(chain), "decode", { kind: "decode", encoding, levels });
}

import { describe, expect, it } from "vitest";
import { moved, type Step } from "./lookSteps";
import { asEncoded, viewChain, withoutColour, withStage } from "./viewChain";

const kinds = (chain: { stages: { kind: string }[] }) => chain.stages.map((s) => s.kind);
const CHAIN = {
  version: 3,
  stages: ["decode", "input", "match", "output"].map((kind) => ({ kind })),
};
const LOOK = { kind: "look", steps: [{ kind: "lut", to: "rec709" }] };

describe("what is looked at", () => {
  it("puts stages where they belong, and takes them out again", () => {
    const full = withStage(withStage(CHAIN, "look", LOOK), "balance", { kind: "balance" });
    expect(kinds(full)).toEqual(["decode", "input", "match", "balance", "look", "output"]);
    expect(kinds(withStage(full, "look", null))).not.toContain("look");
    expect(kinds(withStage(full, "output", { kind: "output-aces" })).at(-1)).toBe("output-aces");
    expect(kinds(CHAIN)).toEqual(["decode", "input", "match", "output"]);
  });

  it("takes colour away before a LUT that ends the look", () => {
    const grey = withoutColour(withStage(CHAIN, "look", LOOK));
    const look = grey.stages.find((s) => s.kind === "look") as never as { steps: Step[] };
    expect(look.steps.map((s) => s.kind)).toEqual(["cdl", "lut"]);
    expect(kinds(withoutColour(CHAIN))).toContain("look");
  });

  it("drops a match where the clip is decoded otherwise", () => {
    const tried = asEncoded(CHAIN, "v-log/v-gamut", "legal");
    expect(tried.stages[0]).toEqual({ kind: "decode", encoding: "v-log/v-gamut", levels: "legal" });
    expect(kinds(tried)).not.toContain("match");
    const view = { match: true, output: null, look: undefined, mono: false };
    expect(viewChain(CHAIN, view)).toEqual(CHAIN);
    expect(kinds(viewChain(CHAIN, { ...view, match: false }))).not.toContain("match");
  });

  it("moves a step of the look, and not beyond its ends", () => {
    const steps = ["a", "b", "c"].map((encoding) => ({ kind: "cdl", encoding }) as Step);
    const order = (list: Step[]) => list.map((s) => s.encoding).join("");
    expect(order(moved(steps, 0, 1))).toBe("bac");
    expect(order(moved(steps, 2, -1))).toBe("acb");
    expect(moved(steps, 0, -1)).toBe(steps);
  });
});

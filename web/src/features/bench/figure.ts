import type { Match } from "@/api/client";

const EXPECTED: Partial<Record<Match["kind"], string>> = {
  picture: "expected, from the picture",
  areas: "expected, from areas",
  statistics: "about: an estimate only",
};

/** What the match, or the clip as shot, is known to miss. */
export function figure(match: Match, isOn: boolean): string {
  if (match.borrowed)
    return match.expected === null
      ? `from ${match.borrowed.source}, tried nowhere`
      : `from ${match.borrowed.source}, about ${match.expected.toFixed(1)} ΔE`;
  const [off, on] = match.scene
    ? [EXPECTED[match.kind] ?? "expected", "in the scene"]
    : ["off the chart", "on the chart"];
  return isOn
    ? `ΔE ${(match.expected ?? match.left_one_out).toFixed(2)} ${off}`
    : `ΔE ${match.before?.toFixed(2) ?? "–"} ${on}`;
}

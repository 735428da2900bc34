import type { Cell, Light } from "@/api/client";

/** How much a cell asks for work: unmeasured first, then by distance. */
export function urgency(cell: Cell): number {
  if (cell.state === "reference") return cell.next_step === "read_chart" ? 1001 : -1;
  if (cell.state === "not_measured") return 1000;
  return (cell.delta_e ?? 0) + (cell.state === "stale" ? 100 : 0);
}

/** Order lights by their worst cell. */
export function worstFirst(lights: Light[], cells: Cell[]): Light[] {
  const worst = (light: Light) =>
    Math.max(-1, ...cells.filter((c) => c.light_id === light.id).map(urgency));
  return [...lights].sort((a, b) => worst(b) - worst(a));
}

/** Whether a cell's match stands on what both cameras see, and on no chart. */
export const isOfScene = (cell: Cell): boolean =>
  cell.match_kind === "picture" || cell.match_kind === "areas" || cell.match_kind === "statistics";

import { Link } from "react-router";
import type { Board, Cell, Job } from "@/api/client";
import { LEFT_ALONE, outcomesOf } from "@/features/jobs";
import { StateMark } from "@/shared/Marks";
import { isOfScene, urgency } from "./order";

export type Work = { cell: Cell; place: string; text: string; page: string };

const WORDS: Partial<Record<Cell["next_step"], string>> = {
  read_chart: "read its chart",
  bring_chart:
    "no chart clip here: match from the picture, bring one in, or borrow from another light",
  read_reference: "read the reference's chart",
  fit: "both charts are read: fit a match",
  fit_again: "a reading or the encoding is newer than the match: fit again",
};

/** What is left to do in a cell, or "" where nothing is. */
export function wordsOf(cell: Cell): string {
  if (
    cell.next_step === "bring_in" ||
    (cell.next_step === "bring_chart" && cell.state === "reference")
  )
    return "";
  if (cell.doubt) return `${cell.doubt.clip} may be something else. ${cell.doubt.text}`;
  if (cell.next_step === "take_alike") return cell.reason;
  const step = WORDS[cell.next_step];
  if (step) return step;
  if (cell.state === "in_tune" || cell.state === "reference") return "";
  const off = isOfScene(cell) ? "expected" : "off the chart";
  return cell.reason || `${cell.delta_e?.toFixed(2) ?? "?"} ΔE ${off}`;
}

/** Every cell that is not in tune, the furthest first, and why jobs left it alone. */
export function workOf(board: Board, jobs: Job[]): Work[] {
  const { cells, cameras, lights, production } = board;
  const newest = jobs.filter((j) => j.kind === "match-angles" && j.state === "done");
  const leftAlone = (cell: Cell) => {
    for (const job of newest) {
      const found = outcomesOf(job).find(
        (o) => o.light_id === cell.light_id && o.camera_id === cell.camera_id,
      );
      if (found) return LEFT_ALONE.has(found.outcome) ? found.text : "";
    }
    return "";
  };
  return [...cells]
    .sort((a, b) => urgency(b) - urgency(a))
    .flatMap((cell) => {
      const camera = cameras.find((c) => c.id === cell.camera_id);
      const light = lights.find((l) => l.id === cell.light_id);
      const text = wordsOf(cell);
      if (!camera || !light || !text) return [];
      const isOpen = cell.state === "not_measured" || cell.state === "stale";
      const why = isOpen && cell.next_step !== "bring_chart" ? leftAlone(cell) : "";
      const to = `/p/${production.id}/l/${light.id}/c/${camera.id}`;
      const isClipped = cell.state === "close" && cell.is_clipped;
      return [
        {
          cell,
          place: `${camera.letter} in ${light.name}`,
          text: why || text,
          page: isClipped
            ? `${to}/bench?mark=clipped`
            : cell.clip && (cell.next_step === "bring_chart" || isOfScene(cell))
              ? `${to}/bench?panel=match`
              : `${to}/chart`,
        },
      ];
    });
}

/** Beside the cells, so that nothing of it lies below the fold. */
export function WorkList({ work }: { work: Work[] }) {
  return (
    <aside
      className="rule w-56 shrink-0 overflow-y-auto border-l bg-base-200"
      aria-label="What is left to do"
    >
      <ul>
        {work.map(({ cell, place, text, page }) => (
          <li key={page} className="rule border-b">
            <Link className="block px-2.5 py-1 hover:bg-base-300" to={page} title={text}>
              <span className="flex items-center gap-1.5 font-semibold">
                <StateMark state={cell.state} size={12} />
                {place}
              </span>
              <span className="faint line-clamp-2 text-2xs">{text}</span>
            </Link>
          </li>
        ))}
      </ul>
    </aside>
  );
}

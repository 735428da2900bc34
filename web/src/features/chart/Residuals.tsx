import type { ReactNode } from "react";
import type { Residual } from "@/api/client";

const MOST_ROWS = 22;

/** One ranked list: what is left after the fit, worst first, and what was before as a thin line. */
export function Residuals({
  residuals,
  reference,
  own,
  tolerance,
  leaveOut,
  marked = [],
  skins: skinNumbers = [1, 2],
  onToggle,
  onMark,
  children,
}: {
  residuals: Residual[];
  reference: string[];
  own: string[];
  tolerance: number;
  leaveOut: number[];
  /** Patches that count four times. */
  marked?: number[];
  skins?: number[];
  onToggle: (index: number) => void;
  onMark?: (index: number) => void;
  /** What stands beside the skins. */
  children?: ReactNode;
}) {
  const used = residuals.filter((r) => !r.left_out);
  const byRest = [...used].sort((a, b) => b.after - a.after);
  // Only greys have a spread between channels.
  const colours = byRest.filter((r) => r.grey_spread === null);
  const greys = byRest.filter((r) => r.grey_spread !== null);
  const skins = byRest.filter((r) => skinNumbers.includes(r.index));
  const out = residuals.filter((r) => r.left_out);
  const reach = Math.max(4, ...used.map((r) => r.before)) * 1.02;
  const rows = (list: Residual[]) =>
    list.map((r) => (
      <Row
        key={r.index}
        residual={r}
        reach={reach}
        tolerance={tolerance}
        swatches={[reference[r.index - 1], own[r.index - 1]]}
        out={leaveOut.includes(r.index)}
        isMarked={marked.includes(r.index)}
        onToggle={onToggle}
        onMark={onMark}
      />
    ));
  const mean = (list: Residual[]) =>
    list.length ? (list.reduce((sum, r) => sum + r.after, 0) / list.length).toFixed(2) : "–";
  const spread = Math.max(0, ...greys.map((r) => r.grey_spread ?? 0));
  return (
    <div data-testid="residuals">
      <div className="mb-1 flex justify-between">
        <span className="faint">Left after the fit, ΔE, worst first</span>
        <span className="faint text-2xs">
          thin line: before · dashed: in tune up to here · click: leave out · Shift click, W: count
          ×4
        </span>
      </div>
      {rows(colours.slice(0, MOST_ROWS))}
      {colours.length > MOST_ROWS && (
        <details>
          <summary className="faint cursor-pointer text-2xs">
            {colours.length - MOST_ROWS} more, none above {colours[MOST_ROWS]?.after.toFixed(2)}
          </summary>
          {rows(colours.slice(MOST_ROWS))}
        </details>
      )}
      <div className="mt-2 mb-1 flex justify-between">
        <span className="faint">
          Greys ΔE <b className="text-base-content">{mean(greys)}</b>, channels within{" "}
          {(spread * 100).toFixed(1)} %
        </span>
        <span className="faint flex items-center gap-3">
          {children}
          {skins.length > 0 && (
            <span>
              Skins ΔE <b className="text-base-content">{mean(skins)}</b>
            </span>
          )}
        </span>
      </div>
      {rows(greys.slice(0, MOST_ROWS))}
      {out.length > 0 && <p className="faint mt-2 mb-1">Left out</p>}
      {out.map((r) => (
        <button
          type="button"
          key={r.index}
          className="flex h-[14px] w-full text-xs items-center gap-2 text-left"
          onClick={() => onToggle(r.index)}
        >
          <Swatch colours={[reference[r.index - 1], own[r.index - 1]]} />
          <span className="w-32">
            {r.name} <span className="faint">{r.index}</span>
          </span>
          <span className="faint">
            ◇ {r.left_out}
            {r.left_out === "by hand" &&
              !leaveOut.includes(r.index) &&
              ", taken in with the next fit"}
          </span>
        </button>
      ))}
    </div>
  );
}

function Swatch({ colours }: { colours: (string | undefined)[] }) {
  return (
    <span className="flex h-2.5 w-6 shrink-0" aria-hidden="true">
      {colours.map((c, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: reference and angle
        <span key={i} className="flex-1" style={{ background: c ?? "#555" }} />
      ))}
    </span>
  );
}

function Row({
  residual,
  reach,
  tolerance,
  swatches,
  out,
  isMarked,
  onToggle,
  onMark,
}: {
  residual: Residual;
  reach: number;
  tolerance: number;
  swatches: (string | undefined)[];
  out: boolean;
  isMarked: boolean;
  onToggle: (index: number) => void;
  onMark: ((index: number) => void) | undefined;
}) {
  const share = (v: number) => `${Math.min(100, (v / reach) * 100)}%`;
  return (
    <button
      type="button"
      className={`flex h-[14px] w-full text-xs items-center gap-2 text-left hover:bg-base-300 ${out ? "line-through opacity-60" : ""}`}
      aria-pressed={out}
      title={
        residual.predicted === null
          ? ""
          : `${residual.predicted.toFixed(2)} ΔE when predicted by a fit without it`
      }
      onKeyDown={(event) => {
        if (event.key.toLowerCase() !== "w" || !onMark) return;
        event.stopPropagation();
        onMark(residual.index);
      }}
      onClick={(event) =>
        event.shiftKey && onMark ? onMark(residual.index) : onToggle(residual.index)
      }
    >
      <Swatch colours={swatches} />
      <span className="w-32 truncate">
        {residual.name} <span className="faint">{residual.index}</span>
        {isMarked && <b> ×4</b>}
      </span>
      <span className="relative h-full flex-1">
        <span
          className="absolute top-1/2 left-0 h-px bg-current opacity-50"
          style={{ width: share(residual.before) }}
        />
        <span
          className="absolute top-[3px] bottom-[3px] left-0 bg-current"
          style={{ width: share(residual.after) }}
        />
        <span
          className="absolute inset-y-0 border-l border-dashed opacity-60"
          style={{ left: share(tolerance) }}
        />
      </span>
      <span className="value w-24 text-right leading-none">
        <span className="faint">{residual.before.toFixed(1)} →</span> {residual.after.toFixed(2)}
      </span>
    </button>
  );
}

import { MonitorUp } from "lucide-react";
import type { Angle } from "@/api/client";
import type { Compare, useBenchPlace } from "./useBenchPlace";

/** For looking only: another output, marks, no colour; and a clean window. */
export function ViewSwitch({
  bench,
  angle,
}: {
  bench: ReturnType<typeof useBenchPlace>;
  angle: Angle | undefined;
}) {
  const { place } = bench;
  const output = angle?.outputs.find((o) => o.key === place.output) ?? angle?.outputs[0];
  const isHdr = String(output?.stage.display ?? "").startsWith("rec2100");
  return (
    <>
      <select
        className="select select-sm w-28"
        aria-label="Output that is looked at"
        title="The output that is looked at; the production's stays"
        value={place.output}
        onChange={(e) => bench.set({ output: e.target.value })}
      >
        {angle?.outputs.map((o, i) => (
          <option key={o.key} value={i === 0 ? "" : o.key}>
            {o.name}
          </option>
        ))}
      </select>
      <select
        className="select select-sm w-22"
        aria-label="Marks"
        title="Hatch what the fit has not seen (U), what the display cannot show (K), or what the recording clipped (O); lines of equal stops (C), which way neutral is off (Y)"
        value={place.mark}
        onChange={(e) => bench.set({ mark: e.target.value })}
      >
        <option value="">marks</option>
        <option value="unseen">unseen</option>
        <option value="gamut">gamut</option>
        <option value="clipped">clipped</option>
        <option value="stops">equal stops</option>
        <option value="neutral">neutral</option>
      </select>
      {isHdr && (
        <Pressed
          is={place.whole}
          title="HDR darkened until its peak is white on this screen, instead of clipped at 203 nit (D)"
          onClick={bench.toggleWhole}
        >
          Whole
        </Pressed>
      )}
      <Pressed
        is={place.mono}
        title="Saturation to zero (Z): colour outside of the gamut shows as black"
        onClick={bench.toggleMono}
      >
        Grey
      </Pressed>
      <button
        type="button"
        className="btn btn-sm btn-square"
        aria-label="A clean picture in a window of its own"
        title="The angle's picture alone, in a window of its own for a second screen"
        onClick={() => {
          const here = new URL(window.location.href);
          here.pathname = here.pathname.replace(/bench$/, "picture");
          window.open(here, "syntonos-picture", "popup,width=1280,height=720");
        }}
      >
        <MonitorUp size={15} strokeWidth={1.5} />
      </button>
    </>
  );
}

/** A button that stays pressed. */
function Pressed({
  is,
  ...rest
}: {
  is: boolean;
  title: string;
  onClick: () => void;
  children: string;
}) {
  return <button type="button" className="btn btn-sm" aria-pressed={is} {...rest} />;
}

const COMPARES: [Compare, string, string][] = [
  ["side", "Beside", "Side by side"],
  ["upright", "Wipe │", "Wipe, upright"],
  ["level", "─", "Wipe, level"],
  ["turn", "In turn", "One in the other's place, twice a second or by key (I)"],
];

export function CompareSwitch({
  value,
  onChange,
}: {
  value: Compare;
  onChange: (v: Compare) => void;
}) {
  return (
    <fieldset className="join shrink-0 flex-nowrap" aria-label="Compare">
      {COMPARES.map(([key, text, title]) => (
        <button
          key={key}
          type="button"
          title={title}
          aria-pressed={value === key}
          className={`btn btn-sm join-item ${value === key ? "btn-primary" : ""}`}
          onClick={() => onChange(key)}
        >
          {text}
        </button>
      ))}
    </fieldset>
  );
}

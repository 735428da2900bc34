import { useQuery } from "@tanstack/react-query";
import { curveQuery } from "@/api/queries";
import { Plot } from "@/shared/Plot";

/** How a curve spends its codes: stops about middle grey against the code value. */
export function EncodingCurve({ slug, levels }: { slug: string; levels: "full" | "legal" }) {
  const curve = useQuery(curveQuery(slug, levels));
  if (!curve.data) return null;
  const points = curve.data.code.flatMap((code, i) => {
    const stops = curve.data.stops[i];
    return stops == null ? [] : [[stops, code] as const];
  });
  const grey = points.reduce<readonly [number, number] | null>(
    (best, p) => (best === null || Math.abs(p[0]) < Math.abs(best[0]) ? p : best),
    null,
  );
  return (
    <Plot
      label="Code value against stops about middle grey"
      points={points}
      x={{ low: -9, high: 9, ticks: [-8, -4, 0, 4, 8], unit: "stops about 18 %" }}
      y={{ low: 0, high: 1, ticks: [0, 0.5, 1], unit: "code / full scale" }}
      marks={grey ? [{ at: grey, text: "18 %" }] : []}
    />
  );
}

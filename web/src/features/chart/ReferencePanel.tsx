import type { Angle } from "@/api/client";

/** The reference has no fit: what was read of its chart stands here. */
export function ReferencePanel({ angle }: { angle: Angle }) {
  const reading = angle.reference.reading;
  return (
    <section className="flex-1 overflow-y-auto p-4" aria-label="Reading">
      <p className="text-base font-semibold">
        {angle.reference.letter} {angle.reference.name} is the reference.
      </p>
      <p className="faint mb-4">
        The other cameras are brought to what it recorded of this chart, not to published chart
        values.
      </p>
      {reading ? (
        <table className="w-full text-left">
          <thead className="faint">
            <tr>
              <th className="font-normal">patch</th>
              <th className="text-right font-normal">scene-linear R</th>
              <th className="text-right font-normal">G</th>
              <th className="text-right font-normal">B</th>
              <th className="pl-4 font-normal">marks</th>
            </tr>
          </thead>
          <tbody className="value">
            {reading.patches.map((p) => (
              <tr key={p.index} className="rule border-t">
                <td className="flex items-center gap-2 py-0.5">
                  <span
                    className="inline-block h-3 w-5"
                    style={{ background: reading.swatches[p.index - 1] }}
                  />
                  {p.index}
                </td>
                {p.lin_rgb.map((v, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: three channels
                  <td key={i} className="text-right">
                    {v.toFixed(4)}
                  </td>
                ))}
                <td className="pl-4">{p.flags.join(", ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p>Its chart is not read in this light yet: find it in the picture (F).</p>
      )}
    </section>
  );
}

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type Angle, api, unwrap } from "@/api/client";
import { Dialog } from "@/shared/Dialog";
import { Loading, Problem } from "@/shared/Feedback";
import { signed } from "@/shared/Tuner";

const ROWS = [
  ["R-G", "R-B"],
  ["G-R", "G-B"],
  ["B-R", "B-G"],
] as const;

/** The match in force as values that the camera's own colour menu takes. */
export function CameraMenu({ angle, onClose }: { angle: Angle; onClose: () => void }) {
  const [step, setStep] = useState(0.01);
  const [most, setMost] = useState(99);
  const [sign, setSign] = useState<1 | -1>(1);
  const [overall, setOverall] = useState(false);
  const query = { step, most, sign, overall };
  const menu = useQuery({
    queryKey: ["menu", angle.light_id, angle.angle.camera_id, angle.base_number, query],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/cameras/{camera_id}/menu", {
          params: {
            path: { light_id: angle.light_id, camera_id: angle.angle.camera_id },
            query,
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const number = (text: string, value: number, set: (v: number) => void, by: number) => (
    <label className="flex items-center gap-2">
      <span className="faint">{text}</span>
      <input
        type="number"
        className="input input-sm value w-24"
        min={by}
        step={by}
        value={value}
        onChange={(e) => e.target.valueAsNumber > 0 && set(e.target.valueAsNumber)}
      />
    </label>
  );
  return (
    <Dialog title={`${angle.angle.letter}'s own colour menu`} onClose={onClose} wide>
      <p className="faint mb-3">
        Set exposure and white in the camera first. Then each value adds a difference of channels in
        the camera's own linear gamut, so that neutral stays neutral.
      </p>
      <div className="mb-4 flex flex-wrap gap-x-5 gap-y-2">
        {number("one step adds", step, setStep, 0.001)}
        {number("range ±", most, (v) => setMost(Math.round(v)), 1)}
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={sign < 0}
            onChange={(e) => setSign(e.target.checked ? -1 : 1)}
          />
          <span className="faint">the menu subtracts</span>
        </label>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={overall}
            onChange={(e) => setOverall(e.target.checked)}
          />
          <span className="faint">level and phase too</span>
        </label>
      </div>
      {menu.isPending && <Loading what="Working out the values" />}
      {menu.error && <Problem error={menu.error} />}
      {menu.data && !menu.error && (
        <>
          <table className="value mb-3">
            <tbody>
              {overall && (
                <tr>
                  <td className="pr-8 pb-1">
                    <span className="faint mr-3 font-sans">level</span>
                    <b className="text-base">{menu.data.level} %</b>
                  </td>
                  <td className="pr-8 pb-1">
                    <span className="faint mr-3 font-sans">phase</span>
                    <b className="text-base">{signed(menu.data.phase, 0)}°</b>
                  </td>
                </tr>
              )}
              {ROWS.map((row) => (
                <tr key={row[0]}>
                  {row.map((name) => (
                    <td key={name} className="pr-8 pb-1">
                      <span className="faint mr-3 font-sans">{name}</span>
                      <b className="text-base">{signed(menu.data.settings[name] ?? 0, 0)}</b>
                      <span className="faint ml-3">
                        {(menu.data.exact[name] ?? 0).toFixed(4).replace("-", "−")}
                      </span>
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
          <p>
            Rounding to steps costs <b className="value">{menu.data.rounding.toFixed(2)}</b> ΔE on
            the chart; the menu stays <b className="value">{menu.data.left.toFixed(2)}</b> from the
            full match.
          </p>
        </>
      )}
    </Dialog>
  );
}

import { decided } from "@/api/decided";
import { control } from "@/shared/controls";
import { Dial } from "@/shared/Dial";
import { CdlDials } from "../CdlDials";
import { type Full, NEUTRAL } from "../trimParts";
import { Figure } from "./Figure";
import type { PartProps } from "./part";

const LEVELS = decided.trim.levels;

export function Tone({ now, set }: PartProps) {
  const level = (i: number, changes: Partial<Full["levels"][number]>) =>
    set({
      levels: now.levels.map((l, k) => (k === i ? { ...l, ...changes } : l)) as Full["levels"],
    });
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
      <div className="flex flex-col gap-1.5">
        <Dial
          label="Contrast"
          compact
          value={now.contrast}
          {...control("contrast")}
          neutral={1}
          digits={3}
          unit="slope"
          onChange={(contrast) => set({ contrast })}
        />
        <Dial
          label="Pivot"
          compact
          value={now.pivot}
          {...control("pivot")}
          neutral={0}
          digits={1}
          unit="stops about middle grey"
          onChange={(pivot) => set({ pivot })}
        />
        <table className="w-full">
          <thead className="faint text-2xs">
            <tr>
              <th className="text-left font-normal">by level</th>
              <th className="text-right font-normal">mired</th>
              <th className="text-right font-normal">tint</th>
              <th className="text-right font-normal">sat.</th>
              <th className="text-right font-normal">border</th>
            </tr>
          </thead>
          <tbody>
            {LEVELS.map((name, i) => {
              const l = now.levels[i] ?? { warmth: 0, tint: 0, saturation: 1 };
              return (
                <tr key={name}>
                  <td className="pr-1">{name}</td>
                  <td>
                    <Figure
                      label={`Warmth of ${name}, mired`}
                      value={l.warmth}
                      {...control("levels.warmth")}
                      digits={0}
                      onChange={(warmth) => level(i, { warmth })}
                    />
                  </td>
                  <td>
                    <Figure
                      label={`Tint of ${name}, Duv × 1000`}
                      value={l.tint}
                      {...control("levels.tint")}
                      digits={1}
                      onChange={(tint) => level(i, { tint })}
                    />
                  </td>
                  <td>
                    <Figure
                      label={`Saturation of ${name}`}
                      value={l.saturation}
                      {...control("levels.saturation")}
                      digits={2}
                      onChange={(saturation) => level(i, { saturation })}
                    />
                  </td>
                  <td>
                    {i !== 1 && (
                      <Figure
                        label={`Border of ${name}, stops about middle grey`}
                        value={now.borders[i === 0 ? 0 : 1]}
                        {...control("borders")}
                        {...(i === 0
                          ? { high: now.borders[1] - 0.5 }
                          : { low: now.borders[0] + 0.5 })}
                        digits={1}
                        onChange={(v) =>
                          set({ borders: i === 0 ? [v, now.borders[1]] : [now.borders[0], v] })
                        }
                      />
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <CdlDials cdl={now.cdl} onChange={(cdl) => set({ cdl: { ...NEUTRAL.cdl, ...cdl } })} />
    </div>
  );
}

import type { Schemas } from "@/api/client";
import { control } from "@/shared/controls";
import { Dial } from "@/shared/Dial";

export type Cdl = Schemas["CdlIn"];

export const PLAIN_CDL: Required<Cdl> = {
  slope: [1, 1, 1],
  offset: [0, 0, 0],
  power: [1, 1, 1],
  saturation: 1,
  clamp: false,
};

const ROWS = [
  ["slope", 1],
  ["offset", 0],
  ["power", 1],
] as const;

/** Slope, offset and power of three channels as figures, saturation as a dial. */
export function CdlDials({
  cdl,
  onChange,
}: {
  cdl: Cdl | null;
  onChange: (cdl: Cdl | null) => void;
}) {
  const now = { ...PLAIN_CDL, ...cdl };
  const put = (changes: Partial<Cdl>) => onChange({ ...now, ...changes });
  return (
    <div className="flex flex-col gap-1">
      <div className="flex items-center gap-1.5" aria-hidden="true">
        <span className="w-16 shrink-0" />
        {(["R", "G", "B"] as const).map((channel) => (
          <span key={channel} className="faint flex-1 pr-1 text-right text-2xs leading-none">
            {channel}
          </span>
        ))}
      </div>
      {ROWS.map(([name, neutral]) => (
        <div key={name} className="flex items-center gap-1.5">
          <span className="w-16 shrink-0 capitalize">{name}</span>
          {(["R", "G", "B"] as const).map((channel, i) => (
            <input
              key={`${channel}${now[name][i]}`}
              className="input input-xs value w-full min-w-0 px-1 text-right"
              aria-label={`${name} ${channel}`}
              title="Arrow keys step, Shift steps finely; double click: neutral"
              defaultValue={(now[name][i] ?? neutral).toFixed(2)}
              onBlur={(e) => {
                const next = Number(e.target.value.replace(",", "."));
                const isWrong = e.target.value.trim() === "" || !Number.isFinite(next);
                e.target.setCustomValidity(isWrong ? `“${e.target.value}” is no number` : "");
                e.target.reportValidity();
                if (isWrong || next === now[name][i]) return;
                put({ [name]: now[name].map((v, k) => (k === i ? next : v)) } as Partial<Cdl>);
              }}
              onDoubleClick={() =>
                put({ [name]: now[name].map((v, k) => (k === i ? neutral : v)) } as Partial<Cdl>)
              }
              onKeyDown={(e) => {
                if (e.key === "Enter") e.currentTarget.blur();
                const move = { ArrowUp: 1, ArrowDown: -1 }[e.key];
                if (!move) return;
                e.preventDefault();
                const step = move * (e.shiftKey ? 0.002 : 0.01);
                put({
                  [name]: now[name].map((v, k) => (k === i ? Number((v + step).toFixed(4)) : v)),
                } as Partial<Cdl>);
              }}
            />
          ))}
        </div>
      ))}
      <Dial
        label="Saturation"
        compact
        value={now.saturation}
        {...control("cdl.saturation")}
        neutral={1}
        onChange={(saturation) => put({ saturation })}
      />
    </div>
  );
}

import { control } from "@/shared/controls";
import { Dial } from "@/shared/Dial";
import { Figure } from "./Figure";
import { type PartProps, put } from "./part";

export function Light({ now, set }: PartProps) {
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
      <div className="flex flex-col gap-1.5">
        <Dial
          label="Exposure"
          compact
          value={now.stops}
          {...control("stops")}
          neutral={0}
          unit="stops"
          onChange={(stops) => set({ stops })}
        />
        <Dial
          label="Warmth"
          compact
          value={now.warmth}
          {...control("warmth")}
          neutral={0}
          digits={0}
          unit="mired, warmer"
          onChange={(warmth) => set({ warmth })}
        />
        <Dial
          label="Tint"
          compact
          value={now.tint}
          {...control("tint")}
          neutral={0}
          digits={1}
          unit="Duv × 1000, greener"
          onChange={(tint) => set({ tint })}
        />
        <Dial
          label="Flare"
          compact
          value={100 * now.flare}
          {...control("flare", 100)}
          neutral={0}
          unit="% of white"
          onChange={(v) => set({ flare: v / 100 })}
        />
      </div>
      <div className="flex flex-col gap-1.5">
        {(["R", "G", "B"] as const).map((c, i) => (
          <Dial
            key={c}
            label={`${c}, stops`}
            compact
            value={now.stops_rgb[i] ?? 0}
            {...control("stops_rgb")}
            neutral={0}
            unit="stops"
            onChange={(v) => set({ stops_rgb: put(now.stops_rgb, i, v) })}
          />
        ))}
        <div className="flex items-center gap-1">
          <span className="w-16 shrink-0">Flare RGB</span>
          {(["R", "G", "B"] as const).map((c, i) => (
            <Figure
              key={c}
              label={`Flare ${c}, % of white`}
              value={100 * (now.flare_rgb[i] ?? 0)}
              {...control("flare_rgb", 100)}
              digits={2}
              onChange={(v) => set({ flare_rgb: put(now.flare_rgb, i, v / 100) })}
            />
          ))}
        </div>
      </div>
    </div>
  );
}

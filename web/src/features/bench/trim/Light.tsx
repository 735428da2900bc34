import { Dial } from "@/shared/Dial";
import { STEPS } from "@/shared/Turn";
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
          low={-4}
          high={4}
          step={0.02}
          steps={STEPS.stops}
          tolerance={0.05}
          neutral={0}
          unit="stops"
          onChange={(stops) => set({ stops })}
        />
        <Dial
          label="Warmth"
          compact
          value={now.warmth}
          low={-250}
          high={250}
          step={2}
          steps={STEPS.mired}
          tolerance={5}
          neutral={0}
          digits={0}
          unit="mired, warmer"
          onChange={(warmth) => set({ warmth })}
        />
        <Dial
          label="Tint"
          compact
          value={now.tint}
          low={-40}
          high={40}
          step={0.2}
          steps={STEPS.tint}
          tolerance={0.8}
          neutral={0}
          digits={1}
          unit="Duv × 1000, greener"
          onChange={(tint) => set({ tint })}
        />
        <Dial
          label="Flare"
          compact
          value={100 * now.flare}
          low={-5}
          high={5}
          step={0.05}
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
            low={-2}
            high={2}
            step={0.01}
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
              low={-20}
              high={20}
              digits={2}
              step={0.05}
              onChange={(v) => set({ flare_rgb: put(now.flare_rgb, i, v / 100) })}
            />
          ))}
        </div>
      </div>
    </div>
  );
}

import { useState } from "react";
import type { Schemas } from "@/api/client";
import { control } from "@/shared/controls";
import { Dial } from "@/shared/Dial";
import { HUE_NAMES, HueWheel, turnsOf, withHue } from "../HueWheel";
import type { Full } from "../trimParts";
import type { PartProps } from "./part";

export function Hues({ now, set, colours }: PartProps & { colours: Schemas["HuesOut"] | null }) {
  const [chosen, setChosen] = useState(0);
  const hue = now.hues[chosen] ?? { turn: 0, saturation: 1, stops: 0 };
  const change = (changes: Partial<Full["hues"][number]>) =>
    set({ hues: withHue(now.hues, chosen, changes) });
  return (
    <div className="flex gap-3">
      <HueWheel
        hues={now.hues}
        chosen={chosen}
        colours={colours}
        onChoose={setChosen}
        onChange={(hues) => set({ hues })}
      />
      <div className="flex min-w-0 flex-1 flex-col gap-1.5">
        <select
          className="select select-xs w-28 capitalize"
          aria-label="Band"
          value={chosen}
          onChange={(e) => setChosen(Number(e.target.value))}
        >
          {HUE_NAMES.map((name, i) => (
            <option key={name} value={i}>
              {name}
            </option>
          ))}
        </select>
        <Dial
          label="Turn"
          compact
          value={hue.turn}
          {...control("hues.turn")}
          {...turnsOf(now.hues, chosen)}
          neutral={0}
          digits={1}
          unit="degrees"
          onChange={(turn) => change({ turn })}
        />
        <Dial
          label="Chroma"
          compact
          value={hue.saturation}
          {...control("hues.saturation")}
          neutral={1}
          unit="factor"
          onChange={(saturation) => change({ saturation })}
        />
        <Dial
          label="Light"
          compact
          value={hue.stops}
          {...control("hues.stops")}
          neutral={0}
          unit="stops"
          onChange={(stops) => change({ stops })}
        />
      </div>
    </div>
  );
}

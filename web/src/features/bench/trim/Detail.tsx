import { decided } from "@/api/decided";
import { control } from "@/shared/controls";
import { Dial } from "@/shared/Dial";
import { type PartProps, put } from "./part";

const BANDS = decided.trim.bands;

export function Detail({ now, set }: PartProps) {
  return (
    <div className="flex max-w-md flex-col gap-1.5">
      {BANDS.map((name, i) => (
        <Dial
          key={name}
          label={name}
          compact
          value={100 * (now.detail[i] ?? 0)}
          {...control("detail", 100)}
          neutral={0}
          digits={0}
          unit="% taken off"
          onChange={(v) => set({ detail: put(now.detail, i, v / 100) })}
        />
      ))}
      <p className="faint text-2xs">
        Softens detail of about 1, 2.5 and 6 pixels of 1920. Pictures have it, LUTs do not: each
        says so.
      </p>
    </div>
  );
}

import { Dialog } from "@/shared/Dialog";

const STEPS: [string, string][] = [
  ["At the subject", "Hold the chart where the faces are, facing the lens, under the key light."],
  ["No glare", "Tilt it until no patch shines and no shadow falls on it. Fingers off the patches."],
  ["Large", "Let it fill at least a tenth of the picture's width; whole and sharp."],
  ["Below clipping", "Expose so that the white patch stays below clipping in every channel."],
  [
    "As you shoot",
    "The shooting lens, its filters, the same curve and levels. Auto exposure, auto white and in-camera looks off.",
  ],
  ["One place", "Cameras one after the other from the same place, or side by side, in one light."],
  ["Still", "Four frames or more with chart and camera still."],
  [
    "Again",
    "Shoot it again when the light changes: another lamp, another gel, another hour of day.",
  ],
  ["When in doubt", "A bracket at 0, +2 and −2 stops tells curve, levels and flare apart."],
];

/** What to ask of whoever shoots the chart. */
export function ShootingSheet({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="Shooting the chart" onClose={onClose} wide>
      <ol className="grid grid-cols-[8.5rem_1fr] gap-x-4 gap-y-1.5">
        {STEPS.map(([head, text]) => (
          <li key={head} className="contents">
            <b className="font-semibold">{head}</b>
            <span className="faint">{text}</span>
          </li>
        ))}
      </ol>
    </Dialog>
  );
}

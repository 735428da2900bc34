import { useState } from "react";
import { Dialog } from "@/shared/Dialog";

export const KEYS: [string, string, string][] = [
  ["Everywhere", "?", "this list"],
  ["Everywhere", "/", "find a camera, a light, a thing to do"],
  ["Everywhere", "H", "home to the Board"],
  ["Everywhere", "Ctrl Z, Ctrl Shift Z", "undo, redo your own last steps"],
  ["Board", "arrows, Enter", "choose a cell, open its Bench"],
  ["Board", "C", "open the chart of the chosen cell"],
  ["Board", "F", "footage: bring in, clips"],
  ["Board", "T", "take away"],
  ["Bench, Chart", "2 … 9", "choose the angle: B, C, D …"],
  ["Bench, Chart", "[  ]", "previous, next light"],
  ["Bench", "R held", "the reference in the angle's place"],
  ["Bench", "A held", "before: without the trim"],
  ["Bench", "W", "side by side, wipe upright, wipe level, in turn"],
  ["Bench", "I", "one picture in the other's place"],
  [
    "Bench",
    "wheel, +  −, F",
    "nearer, farther, the whole picture; drag moves both, with Shift one",
  ],
  ["Bench", "B", "match off and on"],
  ["Bench", "U", "hatch colours that the fit has not seen"],
  ["Bench", "K", "hatch what the display cannot show"],
  ["Bench", "O", "hatch what the recording has clipped"],
  ["Bench", "Z", "saturation to zero"],
  ["Bench", "D", "HDR: clipped at its reference white, or darkened as a whole"],
  ["Bench", "E", "encodings to step through: N, P the next, the one before; L levels"],
  ["Bench", "Esc", "back: to the probe table, from two revisions, from what was begun"],
  ["Bench", "C", "lines of equal stops;  ,  .  choose the one that is labelled"],
  ["Bench", "Y", "which way neutral is off"],
  ["Bench", "G", "scopes"],
  ["Bench", "M", "the lowest tenth of the signal, magnified"],
  ["Bench", "X", "scopes of a part that is drawn in a picture"],
  ["Bench", "T", "take all that the tuner says off, or to its aim, into the trim"],
  ["Bench", "click, P", "keep a sample there; the same thing in the other picture is compared"],
  ["Bench", "N", "next part of the trim"],
  ["Bench", "V", "keep the trim"],
  ["Bench", "arrows on a scale", "turn the trim: Shift finer, Ctrl coarser; Enter types"],
  ["Bench", "S", "surround: black, dim, 18 % grey"],
  ["Chart", "F", "find the chart in both pictures"],
  ["Chart", "M", "fit the match"],
  ["Chart", "B", "both pictures as shot, or as matched"],
  ["Chart", "A", "mark areas that both cameras saw"],
  ["Chart", "Shift click on a patch", "it counts four times in the next fit"],
  ["Chart", "Z", "the chart close, the whole frame"],
  ["Chart", "arrows on a handle", "move it a pixel, with Shift a tenth"],
  ["Chart", "Enter on a handle", "read the chart there"],
];

export function HelpDialog({ onClose }: { onClose: () => void }) {
  const [theme, setTheme] = useState(document.documentElement.dataset.theme ?? "syntonos-dim");
  const other = theme === "syntonos-dim" ? "syntonos-daylight" : "syntonos-dim";
  return (
    <Dialog title="Keys" onClose={onClose} wide>
      <table className="w-full text-left">
        <tbody>
          {KEYS.map(([where, key, what], i) => (
            <tr key={`${where}${key}`} className="rule border-t">
              <td className="faint py-1 pr-4">{KEYS[i - 1]?.[0] === where ? "" : where}</td>
              <td className="value py-1 pr-4 whitespace-nowrap">{key}</td>
              <td className="py-1">{what}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-4 flex items-center gap-3">
        <span className="faint">
          A browser shows 8 bits: these pictures are for working, scopes and numbers for judging.
        </span>
        <button
          type="button"
          className="btn btn-sm ml-auto"
          onClick={() => {
            document.documentElement.dataset.theme = other;
            localStorage.setItem("theme", other);
            setTheme(other);
          }}
        >
          {other === "syntonos-daylight" ? "Lighter, for set" : "Darker, for the suite"}
        </button>
      </div>
    </Dialog>
  );
}

/** A camera's letter in its shape; the reference has a double outline. Shapes, not colours. */
const OUTLINES = [
  "M12 2.5a9.5 9.5 0 1 0 0 19a9.5 9.5 0 1 0 0-19z",
  "M3.5 3.5h17v17h-17z",
  "M12 2L22.5 21h-21z",
  "M7 3h10l5 9l-5 9H7l-5-9z",
  "M12 1.5L22.5 12L12 22.5L1.5 12z",
  "M2.5 8.5L12 2l9.5 6.5V21.5h-19z",
];

export function CameraMark({
  letter,
  reference = false,
  size = 22,
}: {
  letter: string;
  reference?: boolean;
  size?: number;
}) {
  const outline = OUTLINES[(letter.charCodeAt(0) - 65) % OUTLINES.length] ?? OUTLINES[0];
  const isTriangle = outline === OUTLINES[2];
  return (
    <svg width={size} height={size} viewBox="0 0 24 24" role="img" aria-label={`camera ${letter}`}>
      <path d={outline} fill="none" stroke="currentColor" strokeWidth="1.5" />
      {reference && (
        <path
          d={outline}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.4"
          transform="translate(3.1 3.1) scale(.74)"
        />
      )}
      <text
        x="12"
        y={isTriangle ? 18.5 : 16}
        textAnchor="middle"
        fontSize={reference ? 9.5 : 11}
        fontWeight="700"
        fill="currentColor"
      >
        {letter}
      </text>
    </svg>
  );
}

export type State =
  | "reference"
  | "in_tune"
  | "close"
  | "off"
  | "stale"
  | "not_measured"
  | "borrowed";

export const STATE_WORDS: Record<State, string> = {
  reference: "reference",
  in_tune: "in tune",
  close: "close",
  off: "off",
  stale: "reading newer than match",
  not_measured: "not measured",
  borrowed: "borrowed",
};

/** Filled disc in tune, half disc close, ring off, dash not measured, hatched stale, a dotted ring borrowed. */
export function StateMark({ state, size = 13 }: { state: State; size?: number }) {
  const common = { fill: "none", stroke: "currentColor", strokeWidth: 1.6 };
  return (
    <svg width={size} height={size} viewBox="0 0 16 16" role="img" aria-label={STATE_WORDS[state]}>
      {state === "not_measured" ? (
        <path d="M2 8h12" {...common} strokeWidth={2} />
      ) : (
        <circle
          cx="8"
          cy="8"
          r="6"
          {...common}
          fill={state === "in_tune" ? "currentColor" : "none"}
          strokeDasharray={state === "borrowed" ? "2.4 2.3" : undefined}
        />
      )}
      {state === "close" && <path d="M8 2a6 6 0 0 1 0 12z" fill="currentColor" />}
      {state === "stale" && <path d="M3 10l7-7M4 13l9-9M7 14l7-7" {...common} strokeWidth={1.1} />}
      {state === "reference" && <circle cx="8" cy="8" r="3" {...common} />}
    </svg>
  );
}

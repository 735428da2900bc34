import type {
  Angle,
  Board,
  Camera,
  Cell,
  Clip,
  Export,
  Light,
  Match,
  Output,
  Reading,
  Residual,
  Schemas,
} from "@/api/client";

/** Answers of the server for tests: whole, plausible, and changed where a test says so. */

export const clip = (changes: Partial<Clip> = {}): Clip => ({
  id: 3,
  camera_id: 2,
  light_id: 1,
  kind: "chart",
  name: "B001_01",
  width: 960,
  height: 540,
  format: "PNG",
  bits: 16,
  frame_count: 4,
  media: "stills",
  rate: "",
  timecode: "",
  scene: "",
  encoding: "s-log3/s-gamut3.cine",
  levels: "full",
  warnings: [],
  clipped_share: null,
  ...changes,
});

export const camera = (changes: Partial<Camera> = {}): Camera => ({
  id: 2,
  letter: "B",
  name: "Birch",
  encoding: "s-log3/s-gamut3.cine",
  encoding_name: "S-Log3 / S-Gamut3.Cine",
  levels: "full",
  quantisation: "",
  raw: {
    white: "as-shot",
    kelvin: 5600,
    tint: 0,
    stops: 0,
    exposure_index: null,
    highlights: "clip",
  },
  note: "",
  is_reference: false,
  is_stand_in: false,
  unit_stops: 0,
  unit_tint: 0,
  ...changes,
});

export const light = (changes: Partial<Light> = {}): Light => ({
  id: 1,
  name: "Foundry",
  conditions: "",
  clips: 4,
  readings: 2,
  ...changes,
});

export const cell = (changes: Partial<Cell> = {}): Cell => ({
  light_id: 1,
  camera_id: 2,
  clip: clip({ kind: "scene" }),
  chart_clip: clip(),
  state: "in_tune",
  delta_e: 0.89,
  before: 6.5,
  tuner: { exposure: 0, warmth: 0, tint: 0, contrast: 0, strength: 0 },
  aim: null,
  next_step: "none",
  clipped: null,
  reason: "",
  doubt: null,
  match_number: 1,
  stand: "k",
  ...changes,
});

export const board = (cells: Cell[]): Board => ({
  head: 4,
  production: {
    id: 1,
    name: "Casting",
    reference_camera_id: 1,
    tolerance: 1.2,
    outputs: [{ key: "rec709", name: "Rec.709", stage: REC709 }],
  },
  cameras: [camera({ id: 1, letter: "A", name: "Alder", is_reference: true }), camera()],
  lights: [light()],
  cells,
});

const NAMES = ["dark skin", "light skin", "blue sky", "foliage"];

/** Rec.709, clipped at white. */
export const REC709: Output["stage"] = {
  kind: "output",
  display: "rec709",
  tone: null,
  compression: 0,
};

export const residuals = (changes: Record<number, Partial<Residual>> = {}): Residual[] =>
  Array.from({ length: 24 }, (_, i) => ({
    index: i + 1,
    name: NAMES[i] ?? `patch ${i + 1}`,
    before: 6,
    after: 0.5 + i * 0.01,
    left_out: null,
    predicted: 0.6,
    grey_spread: i >= 18 ? 0.004 : null,
    ...changes[i + 1],
  }));

const MODELS: Angle["models"] = [
  { model: "white", word: "white and exposure" },
  { model: "matrix", word: "3×3, neutral kept" },
  { model: "roots", word: "root polynomial" },
  { model: "smooth", word: "3×3 and smooth residual" },
  { model: "averaged", word: "all models, weighted" },
];

export const match = (changes: Partial<Match> = {}): Match => ({
  id: 7,
  number: 1,
  is_current: true,
  created: "2026-11-25T10:00:00Z",
  restored_from: null,
  model: "averaged",
  model_word: "all models, weighted",
  verdict: "Trust it",
  lowered_by: [],
  fills: true,
  highlights: null,
  asked: "averaged",
  weights: [],
  areas: [],
  area_misses: [],
  pool: false,
  target: null,
  borrowed: null,
  picture: null,
  stops: 0.33,
  flare_share: 0.005,
  warmth: 30,
  tint: 0.7,
  slope: 1,
  before: 6.5,
  white_only: 2.4,
  after: 0.73,
  left_one_out: 0.89,
  expected: 0.8,
  expected_low: 0.46,
  expected_high: 1.4,
  expected_kinds: {
    greys: { mean: 0.2, low: 0.1, high: 0.6 },
    skins: { mean: 0.8, low: 0.4, high: 1.8 },
    foliage: { mean: 0.5, low: 0.3, high: 1.0 },
    saturated: { mean: 1.5, low: 0.9, high: 2.5 },
    other: { mean: 0.8, low: 0.5, high: 1.3 },
  },
  models: MODELS.map(({ model, word }, i) => {
    const expected = [2.4, 1.0, 0.86, 0.84, 0.8][i] ?? 1;
    return {
      model,
      word,
      name: word,
      after: expected * 0.7,
      left_one_out: expected * 1.1,
      expected,
    };
  }),
  advice: [{ text: "Average more frames of the chart, or shoot it larger.", gain: 0.12 }],
  limit: "The chart limits this match.",
  residuals: residuals(),
  warnings: [],
  matrix: [
    [0.91, 0.08, 0.01],
    [0.03, 0.9, 0.07],
    [-0.06, 0.12, 0.94],
  ],
  ...changes,
});

export const layout = (changes: Partial<Schemas["LayoutOut"]> = {}): Schemas["LayoutOut"] => ({
  slug: "chart-24",
  name: "24 patches",
  columns_at: [0, 1, 2, 3, 4, 5],
  rows_at: [0, 1, 2, 3],
  names: Array.from({ length: 24 }, (_, i) => (i ? `patch ${i + 1}` : "dark skin")),
  greys: [18, 19, 20, 21, 22, 23],
  skins: [0, 1],
  sample_half: 0.26,
  has_values: true,
  ...changes,
});

export const reading = (changes: Partial<Reading> = {}): Reading => ({
  id: 1,
  clip_id: 3,
  number: 1,
  frames: [0, 1, 2, 3],
  found_by: "search",
  encoding: "s-log3/s-gamut3.cine",
  levels: "full",
  corners: [
    [238, 202],
    [415, 202],
    [417, 305],
    [239, 309],
  ],
  patches: [],
  layout: layout(),
  notes: {
    moved: 0,
    is_moving: false,
    left_out_frames: [],
    bracket: [],
    rescued: [],
    is_straight: true,
    beside: [],
  },
  swatches: Array.from({ length: 24 }, () => "#777777"),
  created: "2026-11-25T10:00:00Z",
  ...changes,
});

export const angle = (changes: Partial<Angle> = {}): Angle => ({
  head: 0,
  production_id: 1,
  production_name: "Casting",
  outputs: [{ key: "rec709", name: "Rec.709", stage: REC709 }],
  tolerance: 1.2,
  light_id: 1,
  light_name: "Foundry",
  reference: {
    camera_id: 1,
    letter: "A",
    name: "Alder",
    encoding: "logc3-ei800/awg3",
    encoding_name: "LogC3 EI 800",
    levels: "full",
    clips: [{ ...clip({ id: 1, name: "A001_01" }), stand: "a" }],
    reading: reading({ clip_id: 1 }),
    clip_readings: [],
  },
  angle: {
    camera_id: 2,
    letter: "B",
    name: "Birch",
    encoding: "s-log3/s-gamut3.cine",
    encoding_name: "S-Log3",
    levels: "full",
    clips: [{ ...clip(), stand: "b" }],
    reading: reading(),
    clip_readings: [],
  },
  state: "in_tune",
  next_step: "none",
  reason: "",
  doubt: null,
  clipped: 0,
  tuner: null,
  tuner_before: null,
  models: MODELS,
  match: match(),
  base_number: 1,
  ramp: [],
  other_lights: 0,
  layouts: [layout()],
  ...changes,
});

export const exported = (changes: Partial<Export> = {}): Export => ({
  id: 4,
  target: "reference",
  format: "cube",
  lut_in: "stored",
  lut_out: "stored",
  size: 65,
  file_name: "B_foundry_m1_to-reference_65.cube",
  sha256: "0",
  match_number: 1,
  clip_name: "",
  is_current: true,
  created: "2026-11-25T10:00:00Z",
  read_back: {
    size: 65,
    lacks: "",
    share_outside: 0,
    cost: 0.004,
    differences: (["grid", "wide", "picture"] as const).flatMap((colours) =>
      (["tetrahedral", "trilinear"] as const).flatMap((interpolation) =>
        [null, 10].map((bits) => ({
          colours,
          interpolation,
          bits,
          mean: 0.04,
          p99_9: 0.22,
          max: 0.3,
        })),
      ),
    ),
  },
  ...changes,
});

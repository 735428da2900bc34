import type { ScopeCounts } from "@/api/draft";

type Context = CanvasRenderingContext2D;

// Channels are tinted so that they can be told at a glance, but also stand in the order R, G, B.
const TINTS: [number, number, number][] = [
  [214, 96, 90],
  [92, 176, 102],
  [98, 128, 214],
];

/** The levels between which a column's counts lie, leaving out a share at either end. */
export function columnRange(
  counts: Uint16Array,
  start: number,
  levels: number,
  share = 0.01,
): [number, number] | null {
  let total = 0;
  for (let i = 0; i < levels; i++) total += counts[start + i] ?? 0;
  if (!total) return null;
  let low = 0;
  let seen = 0;
  while (low < levels - 1 && seen + (counts[start + low] ?? 0) <= total * share) {
    seen += counts[start + low] ?? 0;
    low++;
  }
  let high = levels - 1;
  seen = 0;
  while (high > low && seen + (counts[start + high] ?? 0) <= total * share) {
    seen += counts[start + high] ?? 0;
    high--;
  }
  return [low, high];
}

export function drawParade(
  context: Context,
  width: number,
  height: number,
  ratio: number,
  reference: ScopeCounts | null,
  angle: ScopeCounts | null,
): void {
  context.fillStyle = "#0d0d0d";
  context.fillRect(0, 0, width, height);
  const shown = angle ?? reference;
  if (!shown) return;
  const { columns, levels, header } = shown;
  const { bottom, top } = header;
  const gutter = 26 * ratio;
  const gap = 6 * ratio;
  const panel = (width - gutter - 2 * gap) / 3;
  const yOf = (value: number) => height - ((value - bottom) / (top - bottom)) * height;
  context.font = `${10 * ratio}px "Spline Sans Mono Variable", monospace`;
  const isLow = top < 0.5; // the lowest tenth, magnified
  for (const percent of isLow ? [0, 2.5, 5, 7.5, 10] : [0, 25, 50, 75, 100]) {
    const y = Math.round(yOf(percent / 100)) + 0.5;
    context.strokeStyle = percent % (isLow ? 5 : 50) ? "#262626" : "#3c3c3c";
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(gutter, y);
    context.lineTo(width, y);
    context.stroke();
    context.fillStyle = "#8a8a8a";
    context.textAlign = "right";
    context.fillText(String(percent), gutter - 4 * ratio, y + 3.5 * ratio);
  }
  const light = (header.light ?? []).filter(([signal]) => signal <= top);
  for (const [signal, nits] of light) {
    const y = Math.round(yOf(signal)) + 0.5;
    context.strokeStyle = nits === 203 ? "#6a6a6a" : "#333";
    context.setLineDash([3 * ratio, 3 * ratio]);
    context.beginPath();
    context.moveTo(gutter, y);
    context.lineTo(width, y);
    context.stroke();
    context.setLineDash([]);
  }
  for (let channel = 0; channel < 3; channel++) {
    const left = gutter + channel * (panel + gap);
    if (angle) {
      const image = densityImage(angle.parade, channel, columns, levels);
      context.imageSmoothingEnabled = true;
      context.drawImage(image, left, 0, panel, height);
    }
    if (reference) outlineColumns(context, reference, channel, left, panel, height, ratio);
  }
  // Over the traces, so that they can be read.
  for (const [signal, nits] of light) {
    const text = `${nits} nit`;
    const wide = context.measureText(text).width + 6 * ratio;
    const y = Math.round(yOf(signal));
    context.fillStyle = "rgba(13, 13, 13, 0.75)";
    context.fillRect(width - wide, y - 11 * ratio, wide, 11 * ratio);
    context.fillStyle = nits === 203 ? "#ffffff" : "#c4c4c4";
    context.textAlign = "right";
    context.fillText(text, width - 3 * ratio, y - 2 * ratio);
  }
}

/** The range of every column of each channel; worked out once for counts that stay. */
function rangesOf(counts: ScopeCounts): ([number, number] | null)[][] {
  const found = knownRanges.get(counts);
  if (found) return found;
  const { columns, levels } = counts;
  const made = [0, 1, 2].map((channel) =>
    Array.from({ length: columns }, (_, c) =>
      columnRange(counts.parade, (channel * columns + c) * levels, levels),
    ),
  );
  knownRanges.set(counts, made);
  return made;
}

const knownRanges = new WeakMap<ScopeCounts, ([number, number] | null)[][]>();

function outlineColumns(
  context: Context,
  counts: ScopeCounts,
  channel: number,
  left: number,
  panel: number,
  height: number,
  ratio: number,
): void {
  const { columns, levels } = counts;
  const ranges = rangesOf(counts)[channel] ?? [];
  context.strokeStyle = "#f2f2f2";
  context.lineWidth = 1.1 * ratio;
  for (const end of [0, 1] as const) {
    context.beginPath();
    let open = false;
    ranges.forEach((range, c) => {
      if (!range) {
        open = false;
        return;
      }
      const x = left + ((c + 0.5) / columns) * panel;
      const y = height - ((range[end] + (end ? 1 : 0)) / levels) * height;
      if (open) context.lineTo(x, y);
      else context.moveTo(x, y);
      open = true;
    });
    context.stroke();
  }
}

/** A canvas to paint counts on before they are scaled; each kind has one that stays. */
function pad(name: string, width: number, height: number): [OffscreenCanvas, ImageData] {
  const key = `${name} ${width} ${height}`;
  const found = pads.get(key);
  if (found) return found;
  const canvas = new OffscreenCanvas(width, height);
  const made: [OffscreenCanvas, ImageData] = [canvas, new ImageData(width, height)];
  pads.set(key, made);
  return made;
}

const pads = new Map<string, [OffscreenCanvas, ImageData]>();

/** Opacity 0..255 of a count: it grows with the logarithm, from a least one up. */
function opacities(most: number, least: number): Uint8Array {
  const key = `${most} ${least}`;
  const found = ramps.get(key);
  if (found) return found;
  const ramp = new Uint8Array(most + 1);
  const scale = (1 - least) / Math.log1p(most);
  for (let n = 1; n <= most; n++) ramp[n] = 255 * Math.min(1, least + scale * Math.log1p(n));
  if (ramps.size > 32) ramps.clear();
  ramps.set(key, ramp);
  return ramp;
}

const ramps = new Map<string, Uint8Array>();

function greatest(counts: Uint16Array, start: number, end: number): number {
  let most = 1;
  for (let i = start; i < end; i++) {
    const n = counts[i] as number;
    if (n > most) most = n;
  }
  return most;
}

/** Counts [column][level] as a picture, level upwards; brightness grows with the logarithm. */
function densityImage(
  counts: Uint16Array,
  channel: number,
  columns: number,
  levels: number,
): OffscreenCanvas {
  const [canvas, image] = pad(`parade ${channel}`, columns, levels);
  const start = channel * columns * levels;
  const ramp = opacities(greatest(counts, start, start + columns * levels), 0.18);
  const [r, g, b] = TINTS[channel] ?? [200, 200, 200];
  const tint = r | (g << 8) | (b << 16);
  const pixels = new Uint32Array(image.data.buffer);
  for (let c = 0; c < columns; c++) {
    const from = start + c * levels;
    for (let l = 0; l < levels; l++) {
      const n = counts[from + l] as number;
      pixels[(levels - 1 - l) * columns + c] = n ? tint | ((ramp[n] as number) << 24) : 0;
    }
  }
  canvas.getContext("2d")?.putImageData(image, 0, 0);
  return canvas;
}

const BARS: [string, number, number, number][] = [
  ["R", 0.75, 0, 0],
  ["Mg", 0.75, 0, 0.75],
  ["B", 0, 0, 0.75],
  ["Cy", 0, 0.75, 0.75],
  ["G", 0, 0.75, 0],
  ["Yl", 0.75, 0.75, 0],
];

/** Where a signal lies: angle of Cr over Cb in degrees, radius of ±0.5; ITU-R BT.709-6, item 3. */
export function placeOf(
  [r, g, b]: [number, number, number],
  [kr, kb]: [number, number] = [0.2126, 0.0722],
): [number, number] {
  const luma = kr * r + (1 - kr - kb) * g + kb * b;
  const cb = (b - luma) / (2 * (1 - kb));
  const cr = (r - luma) / (2 * (1 - kr));
  return [((Math.atan2(cr, cb) * 180) / Math.PI + 360) % 360, Math.hypot(cb, cr)];
}

/** A skin in both pictures: Cb and Cr of the outputs, and how far the angle's is off in stops. */
export type Skin = {
  name: string;
  reference: readonly [number, number] | null;
  angle: readonly [number, number] | null;
  stops: number | null;
};

const SKIN = 123; // common practice, no source: drawn as a convention

export function drawVectorscope(
  context: Context,
  width: number,
  height: number,
  ratio: number,
  reference: ScopeCounts | null,
  angle: ScopeCounts | null,
  skins: readonly Skin[] = [],
): void {
  context.fillStyle = "#0d0d0d";
  context.fillRect(0, 0, width, height);
  const size = Math.min(width, height);
  const [cx, cy] = [width / 2, height / 2];
  const at = (degrees: number, radius: number): [number, number] => [
    cx + Math.cos((degrees * Math.PI) / 180) * radius * size,
    cy - Math.sin((degrees * Math.PI) / 180) * radius * size,
  ];
  context.strokeStyle = "#333";
  context.lineWidth = ratio;
  for (const radius of [0.25, 0.49]) {
    context.beginPath();
    context.arc(cx, cy, radius * size, 0, 2 * Math.PI);
    context.stroke();
  }
  context.beginPath();
  context.moveTo(cx - 0.49 * size, cy);
  context.lineTo(cx + 0.49 * size, cy);
  context.moveTo(cx, cy - 0.49 * size);
  context.lineTo(cx, cy + 0.49 * size);
  context.stroke();
  context.setLineDash([3 * ratio, 3 * ratio]);
  context.strokeStyle = "#777";
  context.beginPath();
  context.moveTo(cx, cy);
  context.lineTo(...at(SKIN, 0.49));
  context.stroke();
  context.setLineDash([]);
  const image = angle ? vectorImage(angle) : null;
  if (image) context.drawImage(image, cx - size / 2, cy - size / 2, size, size);
  if (reference) {
    const cell = size / reference.side;
    context.save();
    context.translate(cx - size / 2, cy - size / 2);
    context.scale(cell, cell);
    context.strokeStyle = "#f2f2f2";
    context.lineWidth = (0.9 * ratio) / cell;
    context.stroke(outlineOf(reference));
    context.restore();
  }
  context.font = `${10 * ratio}px "Instrument Sans Variable", sans-serif`;
  context.textAlign = "center";
  context.strokeStyle = "#8a8a8a";
  context.fillStyle = "#b0b0b0";
  const luma = (angle ?? reference)?.header.luma;
  for (const [name, ...signal] of BARS) {
    const [degrees, radius] = placeOf(signal, luma);
    const [x, y] = at(degrees, radius);
    context.beginPath();
    context.arc(x, y, 4 * ratio, 0, 2 * Math.PI);
    context.stroke();
    const [tx, ty] = at(degrees, radius + 0.035);
    context.fillText(name, tx, ty + 3 * ratio);
  }
  for (const skin of skins)
    drawSkin(context, skin, (cb, cr) => [cx + cb * size, cy - cr * size], ratio);
}

/** A ring where the reference has the skin, a cross where the angle has it, a line between. */
function drawSkin(
  context: Context,
  { name, reference, angle, stops }: Skin,
  at: (cb: number, cr: number) => [number, number],
  ratio: number,
): void {
  const ring = reference && at(...reference);
  const cross = angle && at(...angle);
  const stroke = (draw: () => void) => {
    for (const [style, width] of [
      ["#000", 3.2],
      ["#fff", 1.4],
    ] as const) {
      context.strokeStyle = style;
      context.lineWidth = width * ratio;
      context.beginPath();
      draw();
      context.stroke();
    }
  };
  if (ring) stroke(() => context.arc(ring[0], ring[1], 6 * ratio, 0, 2 * Math.PI));
  if (cross)
    stroke(() => {
      const r = 4 * ratio;
      context.moveTo(cross[0] - r, cross[1]);
      context.lineTo(cross[0] + r, cross[1]);
      context.moveTo(cross[0], cross[1] - r);
      context.lineTo(cross[0], cross[1] + r);
    });
  const [x, y] = ring ?? cross ?? [0, 0];
  const text =
    stops === null ? name : `${name} ${stops < 0 ? "−" : "+"}${Math.abs(stops).toFixed(2)} stop`;
  context.textAlign = "right";
  context.fillStyle = "rgba(13, 13, 13, 0.75)";
  const wide = context.measureText(text).width + 6 * ratio;
  context.fillRect(x - 10 * ratio - wide, y - 8 * ratio, wide, 14 * ratio);
  context.fillStyle = "#fff";
  context.fillText(text, x - 13 * ratio, y + 3 * ratio);
}

function vectorImage(counts: ScopeCounts): OffscreenCanvas {
  const { side } = counts;
  const [canvas, image] = pad("vectorscope", side, side);
  const ramp = opacities(greatest(counts.vector, 0, counts.vector.length), 0.12);
  const pixels = new Uint32Array(image.data.buffer);
  for (let i = 0; i < pixels.length; i++) {
    const n = counts.vector[i] as number;
    pixels[i] = n ? 0xbebebe | ((ramp[n] as number) << 24) : 0;
  }
  canvas.getContext("2d")?.putImageData(image, 0, 0);
  return canvas;
}

/** The border of where the reference has more than a handful of pixels, in cells of the counts. */
function outlineOf(counts: ScopeCounts): Path2D {
  const found = knownOutlines.get(counts);
  if (found) return found;
  const { side } = counts;
  const { vector } = counts;
  const soft = new Float32Array(side * side);
  let total = 0;
  for (let i = 0; i < vector.length; i++) total += vector[i] as number;
  for (let y = 1; y < side - 1; y++) {
    for (let x = 1; x < side - 1; x++) {
      let sum = 0;
      for (let row = (y - 1) * side + x; row <= (y + 1) * side + x; row += side)
        sum += (vector[row - 1] as number) + (vector[row] as number) + (vector[row + 1] as number);
      soft[y * side + x] = sum / 9;
    }
  }
  const least = Math.max(1, total * 8e-6);
  const path = new Path2D();
  for (let y = 0; y < side - 1; y++) {
    for (let x = 0; x < side - 1; x++) {
      const at = y * side + x;
      const v: Corners = [
        (soft[at] as number) - least,
        (soft[at + 1] as number) - least,
        (soft[at + side + 1] as number) - least,
        (soft[at + side] as number) - least,
      ];
      const inside = Number(v[0] > 0) + Number(v[1] > 0) + Number(v[2] > 0) + Number(v[3] > 0);
      if (inside !== 0 && inside !== 4) cutCell(path, x, y, v);
    }
  }
  knownOutlines.set(counts, path);
  return path;
}

const knownOutlines = new WeakMap<ScopeCounts, Path2D>();

type Corners = [number, number, number, number];
const CORNERS = [
  [0, 0],
  [1, 0],
  [1, 1],
  [0, 1],
] as const;

/** Draw the border through one cell: from one cut edge to the next, by linear interpolation. */
function cutCell(path: Path2D, x: number, y: number, v: Corners): void {
  let open = false;
  for (const a of [0, 1, 2, 3] as const) {
    const b = ((a + 1) % 4) as 0 | 1 | 2 | 3;
    if (v[a] > 0 === v[b] > 0) continue;
    const t = v[a] / (v[a] - v[b]);
    const px = x + CORNERS[a][0] + t * (CORNERS[b][0] - CORNERS[a][0]) + 0.5;
    const py = y + CORNERS[a][1] + t * (CORNERS[b][1] - CORNERS[a][1]) + 0.5;
    if (open) path.lineTo(px, py);
    else path.moveTo(px, py);
    open = !open;
  }
}

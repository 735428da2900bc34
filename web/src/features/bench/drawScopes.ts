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
  const header = (angle ?? reference)?.header;
  if (!header) return;
  const { columns, levels, bottom, top } = header;
  const gutter = 26 * ratio;
  const gap = 6 * ratio;
  const panel = (width - gutter - 2 * gap) / 3;
  const yOf = (value: number) => height - ((value - bottom) / (top - bottom)) * height;
  context.font = `${10 * ratio}px "Spline Sans Mono Variable", monospace`;
  for (const percent of [0, 25, 50, 75, 100]) {
    const y = Math.round(yOf(percent / 100)) + 0.5;
    context.strokeStyle = percent % 50 ? "#262626" : "#3c3c3c";
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(gutter, y);
    context.lineTo(width, y);
    context.stroke();
    context.fillStyle = "#8a8a8a";
    context.textAlign = "right";
    context.fillText(String(percent), gutter - 4 * ratio, y + 3.5 * ratio);
  }
  for (const [signal, nits] of header.light ?? []) {
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
      const image = densityImage(
        angle.parade,
        channel * columns * levels,
        columns,
        levels,
        TINTS[channel] ?? [200, 200, 200],
      );
      context.imageSmoothingEnabled = true;
      context.drawImage(image, left, 0, panel, height);
    }
    if (reference) outlineColumns(context, reference, channel, left, panel, height, ratio);
  }
  // Over the traces, so that they can be read.
  for (const [signal, nits] of header.light ?? []) {
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

function outlineColumns(
  context: Context,
  counts: ScopeCounts,
  channel: number,
  left: number,
  panel: number,
  height: number,
  ratio: number,
): void {
  const { columns, levels } = counts.header;
  const ranges = Array.from({ length: columns }, (_, c) =>
    columnRange(counts.parade, (channel * columns + c) * levels, levels),
  );
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

/** Counts [column][level] as a picture, level upwards; brightness grows with the logarithm. */
function densityImage(
  counts: Uint16Array,
  start: number,
  columns: number,
  levels: number,
  [r, g, b]: [number, number, number],
): OffscreenCanvas {
  const canvas = new OffscreenCanvas(columns, levels);
  const context = canvas.getContext("2d");
  const image = new ImageData(columns, levels);
  let most = 1;
  for (let i = 0; i < columns * levels; i++) most = Math.max(most, counts[start + i] ?? 0);
  const scale = 1 / Math.log1p(most);
  for (let c = 0; c < columns; c++) {
    for (let l = 0; l < levels; l++) {
      const n = counts[start + c * levels + l] ?? 0;
      if (!n) continue;
      const at = ((levels - 1 - l) * columns + c) * 4;
      image.data[at] = r;
      image.data[at + 1] = g;
      image.data[at + 2] = b;
      image.data[at + 3] = 255 * Math.min(1, 0.18 + 0.82 * Math.log1p(n) * scale);
    }
  }
  context?.putImageData(image, 0, 0);
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

const SKIN = 123; // common practice, no source: drawn as a convention

export function drawVectorscope(
  context: Context,
  width: number,
  height: number,
  ratio: number,
  reference: ScopeCounts | null,
  angle: ScopeCounts | null,
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
  const draw = (
    counts: ScopeCounts | null,
    paint: (image: OffscreenCanvas) => void,
    outline: boolean,
  ) => {
    if (counts) paint(outline ? outlineImage(counts) : vectorImage(counts));
  };
  const place = (image: OffscreenCanvas) =>
    context.drawImage(image, cx - size / 2, cy - size / 2, size, size);
  draw(angle, place, false);
  draw(reference, place, true);
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
}

function vectorImage(counts: ScopeCounts): OffscreenCanvas {
  const { side } = counts.header;
  const image = new ImageData(side, side);
  let most = 1;
  for (const n of counts.vector) most = Math.max(most, n);
  const scale = 1 / Math.log1p(most);
  counts.vector.forEach((n, i) => {
    if (!n) return;
    image.data.set([190, 190, 190, 255 * Math.min(1, 0.12 + 0.88 * Math.log1p(n) * scale)], i * 4);
  });
  const canvas = new OffscreenCanvas(side, side);
  canvas.getContext("2d")?.putImageData(image, 0, 0);
  return canvas;
}

/** The border of where the reference has more than a handful of pixels. */
function outlineImage(counts: ScopeCounts): OffscreenCanvas {
  const { side } = counts.header;
  const soft = new Float32Array(side * side);
  const total = counts.vector.reduce((sum, n) => sum + n, 0);
  for (let y = 1; y < side - 1; y++) {
    for (let x = 1; x < side - 1; x++) {
      let sum = 0;
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) sum += counts.vector[(y + dy) * side + x + dx] ?? 0;
      soft[y * side + x] = sum / 9;
    }
  }
  const least = Math.max(1, total * 8e-6);
  const scale = 4;
  const canvas = new OffscreenCanvas(side * scale, side * scale);
  const context = canvas.getContext("2d");
  if (!context) return canvas;
  context.strokeStyle = "#f2f2f2";
  context.lineWidth = 1.6;
  context.beginPath();
  const value = (x: number, y: number) => (soft[y * side + x] ?? 0) - least;
  for (let y = 0; y < side - 1; y++) {
    for (let x = 0; x < side - 1; x++) {
      const v = [value(x, y), value(x + 1, y), value(x + 1, y + 1), value(x, y + 1)] as const;
      const cuts: [number, number][] = [];
      const edges = [
        [0, 1],
        [1, 2],
        [2, 3],
        [3, 0],
      ] as const;
      const corner = [
        [x, y],
        [x + 1, y],
        [x + 1, y + 1],
        [x, y + 1],
      ] as const;
      for (const [a, b] of edges) {
        if (v[a] > 0 === v[b] > 0) continue;
        const t = v[a] / (v[a] - v[b]);
        cuts.push([
          corner[a][0] + t * (corner[b][0] - corner[a][0]),
          corner[a][1] + t * (corner[b][1] - corner[a][1]),
        ]);
      }
      for (let i = 0; i + 1 < cuts.length; i += 2) {
        const [p, q] = [cuts[i], cuts[i + 1]];
        if (!p || !q) continue;
        context.moveTo((p[0] + 0.5) * scale, (p[1] + 0.5) * scale);
        context.lineTo((q[0] + 0.5) * scale, (q[1] + 0.5) * scale);
      }
    }
  }
  context.stroke();
  return canvas;
}

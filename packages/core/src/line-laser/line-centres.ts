import type { ColorImage } from '../geometry/triangle-mesh.js';
import { isBurnt, laserLight, LASER_LIGHT_DEFAULTS, type LaserLightOptions } from './laser-light.js';

export interface LineCentresOptions extends LaserLightOptions {
  /** Width of the line at half its height, pixels. */
  lineWidth: number;
  /** A line must stand out by so many grey levels. */
  threshold: number;
  /** Light is averaged 1-2-1 with the rows above and below: calmer, but lines end half a row late. */
  acrossRows: boolean;
}

export const LINE_CENTRES_DEFAULTS: LineCentresOptions = {
  ...LASER_LIGHT_DEFAULTS,
  lineWidth: 3.5,
  threshold: 30,
  acrossRows: true,
};

/** Places of the laser line in one picture, row by row from the top; a row may hold several. */
export interface LineCentres {
  rows: Uint16Array;
  /** Centres with part pixels. */
  columns: Float32Array;
  /** Grey levels by which the line stands out. */
  contrast: Float32Array;
  /** sRGB beside the line, where the laser doesn't shine, 3 a place. */
  colors: Uint8Array;
  /** Share of the places whose middle is over-exposed. */
  burnt: number;
  /** Share of the picture's rows in which a line was found. */
  found: number;
}

/** At most so many lines in a row: an object, its platform behind, a second wall. */
const MOST_A_ROW = 3;

/**
 * Finds an upright laser line to parts of a pixel: where the first derivative of the row, smoothed by a Gaussian, is
 * zero and the second strongly negative. O(pixels · line width).
 *
 * Source: C. Steger (1998), An unbiased detector of curvilinear structures: its detector for profiles, with the width
 * rule σ ≥ w/√3 for a line of half width w. Deviations: rows only, since the line stands upright; rows may be averaged 1-2-1 first; contrast is given as the height of a Gaussian line of the expected width.
 */
export function findLineCentres(image: ColorImage, options: Partial<LineCentresOptions> = {}): LineCentres {
  const o = { ...LINE_CENTRES_DEFAULTS, ...options };
  const { width, height } = image;
  const light = laserLight(image, o, new Float32Array(width * height));
  const sigma = Math.max(0.8, o.lineWidth / 2 / Math.sqrt(3));
  const { first, second, half } = derivativeKernels(sigma);
  const s = o.lineWidth / 2.3548;
  const toContrast = (s * s + sigma * sigma) ** 1.5 / s;
  const rows: number[] = [];
  const columns: number[] = [];
  const contrast: number[] = [];
  const profile = new Float32Array(width);
  const bend = new Float32Array(width);
  const best: { column: number; contrast: number }[] = [];
  let burnt = 0;
  let found = 0;
  for (let v = 0; v < height; v++) {
    const above = o.acrossRows && v > 0 ? (v - 1) * width : v * width;
    const below = o.acrossRows && v < height - 1 ? (v + 1) * width : v * width;
    let brightest = 0;
    for (let u = 0; u < width; u++) {
      const x = 0.25 * light[above + u] + 0.5 * light[v * width + u] + 0.25 * light[below + u];
      profile[u] = x;
      if (x > brightest) brightest = x;
    }
    if (brightest < 0.5 * o.threshold) continue;
    best.length = 0;
    for (let u = half; u < width - half; u++) {
      let d2 = 0;
      if (profile[u] > 0.2 * o.threshold) {
        for (let k = -half; k <= half; k++) d2 += second[k + half] * profile[u + k];
      }
      bend[u] = d2;
    }
    for (let u = half + 1; u < width - half - 1; u++) {
      const d2 = bend[u];
      if (-d2 * toContrast < o.threshold || d2 > bend[u - 1] || d2 >= bend[u + 1]) continue;
      let d1 = 0;
      for (let k = -half; k <= half; k++) d1 += first[k + half] * profile[u + k];
      const part = -d1 / d2;
      if (Math.abs(part) > 1) continue;
      best.push({ column: u + part, contrast: -d2 * toContrast });
    }
    if (best.length === 0) continue;
    found++;
    best.sort((a, b) => b.contrast - a.contrast);
    for (const b of best.slice(0, MOST_A_ROW)) {
      // Beside a strong line, weak ones are its halo.
      if (b.contrast < 0.2 * best[0].contrast) break;
      rows.push(v);
      columns.push(b.column);
      contrast.push(b.contrast);
      if (isBurnt(image, o.color, Math.round(b.column), v)) burnt++;
    }
  }
  return {
    rows: Uint16Array.from(rows),
    columns: Float32Array.from(columns),
    contrast: Float32Array.from(contrast),
    colors: colorsBeside(image, rows, columns, Math.ceil(1.5 * o.lineWidth) + 1),
    burnt: rows.length > 0 ? burnt / rows.length : 0,
    found: found / height,
  };
}

/** Sampled first and second derivatives of a Gaussian; convolving a profile with them gives its derivatives. */
function derivativeKernels(sigma: number): { first: Float32Array; second: Float32Array; half: number } {
  const half = Math.ceil(4 * sigma);
  const first = new Float32Array(2 * half + 1);
  const second = new Float32Array(2 * half + 1);
  let mass = 0;
  let bias = 0;
  for (let k = -half; k <= half; k++) {
    const g = Math.exp((-k * k) / (2 * sigma * sigma)) / (Math.sqrt(2 * Math.PI) * sigma);
    // Correlation, not convolution: the sign of the odd kernel is turned.
    first[k + half] = (k / (sigma * sigma)) * g;
    second[k + half] = ((k * k) / sigma ** 4 - 1 / (sigma * sigma)) * g;
    mass += g;
    bias += second[k + half];
  }
  for (let i = 0; i < first.length; i++) {
    first[i] /= mass;
    second[i] = (second[i] - bias / second.length) / mass;
  }
  return { first, second, half };
}

function colorsBeside(image: ColorImage, rows: number[], columns: number[], gap: number): Uint8Array {
  const { width, data } = image;
  const out = new Uint8Array(3 * rows.length);
  for (let i = 0; i < rows.length; i++) {
    const left = Math.max(0, Math.round(columns[i]) - gap);
    const right = Math.min(width - 1, Math.round(columns[i]) + gap);
    const a = 3 * (rows[i] * width + left);
    const b = 3 * (rows[i] * width + right);
    for (let k = 0; k < 3; k++) out[3 * i + k] = (data[a + k] + data[b + k]) >> 1;
  }
  return out;
}

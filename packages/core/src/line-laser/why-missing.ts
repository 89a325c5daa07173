import type { ColorImage } from '../geometry/triangle-mesh.js';
import { isBurnt, laserLight } from './laser-light.js';
import { findLineCentres, LINE_CENTRES_DEFAULTS, type LineCentresOptions } from './line-centres.js';

/** What a picture shows where a place should be lit. `elsewhere`: the row's line lies at another column. */
export type TraceFinding = 'measured' | 'burnt' | 'faint' | 'elsewhere' | 'dark' | 'outside';

export interface TraceReason {
  finding: TraceFinding;
  /** Grey levels by which light stands out there. */
  light: number;
  /** Column of the row's strongest line, if there is one. */
  lineColumn?: number;
}

/** A line nearer than this to where it was expected is that line, pixels. */
const NEAR = 4;

/** Looks up in its picture why a place was measured or not. */
export function whyMissing(
  image: ColorImage,
  column: number,
  row: number,
  options: Partial<LineCentresOptions> = {},
): TraceReason {
  const o = { ...LINE_CENTRES_DEFAULTS, ...options };
  const { width, height } = image;
  const v = Math.round(row);
  const u = Math.round(column);
  if (u < 0 || v < 0 || u >= width || v >= height) return { finding: 'outside', light: 0 };
  const light = laserLight(image, o, new Float32Array(width * height));
  let brightest = 0;
  let around = Infinity;
  let burnt = false;
  for (let k = Math.max(0, u - NEAR); k <= Math.min(width - 1, u + NEAR); k++) {
    brightest = Math.max(brightest, light[v * width + k]);
    burnt ||= isBurnt(image, o.color, k, v);
  }
  for (const k of [u - 3 * NEAR, u + 3 * NEAR])
    if (k >= 0 && k < width) around = Math.min(around, light[v * width + k]);
  brightest = Math.max(0, brightest - (Number.isFinite(around) ? around : 0));
  const { rows, columns, contrast } = findLineCentres(image, o);
  let lineColumn: number | undefined;
  let strongest = 0;
  for (let i = 0; i < rows.length; i++) {
    if (rows[i] !== v) continue;
    if (Math.abs(columns[i] - column) < NEAR)
      return { finding: 'measured', light: contrast[i], lineColumn: columns[i] };
    if (contrast[i] > strongest) [strongest, lineColumn] = [contrast[i], columns[i]];
  }
  if (burnt) return { finding: 'burnt', light: brightest, lineColumn };
  if (lineColumn !== undefined) return { finding: 'elsewhere', light: brightest, lineColumn };
  return { finding: brightest > 0.35 * o.threshold ? 'faint' : 'dark', light: brightest };
}

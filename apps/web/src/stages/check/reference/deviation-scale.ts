import { interpolateRgbBasis } from 'd3';
import type { Bar } from '../histogram-legend';
import { linearBytes } from '../../../view/view-content';

/**
 * Signed deviations: blue inwards, orange outwards, light in the middle, told apart by colour-blind people and by lightness.
 * Within the tolerance one even tint; beyond it the colour deepens up to the end of the scale.
 */
const INWARDS = interpolateRgbBasis(['#cfe3ee', '#6aa9d4', '#21618f', '#0b2f4d']);
const OUTWARDS = interpolateRgbBasis(['#f8dfc4', '#ec9f52', '#b8620e', '#5f2c00']);
export const WITHIN_TINT = '#f1ece2';
export const UNKNOWN_TINT = '#a39a8c';
export const INVENTED_TINT = '#8d8677';

/** Ends of the scale, mm: so many tolerances, so that what is out of tolerance has room to differ. */
export const SCALE_TOLERANCES = 5;

/** The colour of a deviation as CSS. */
export function deviationTint(d: number, tolerance: number): string {
  if (Number.isNaN(d)) return UNKNOWN_TINT;
  const beyond = (Math.abs(d) - tolerance) / ((SCALE_TOLERANCES - 1) * tolerance);
  if (beyond <= 0) return WITHIN_TINT;
  return (d < 0 ? INWARDS : OUTWARDS)(Math.min(1, beyond));
}

const STEPS = 128;

/** Linear bytes per vertex; places that no scan measured are darker, whatever their deviation: they never pass as measured. */
export function deviationColors(values: Float32Array, tolerance: number, invented: Uint8Array | undefined): Uint8Array {
  const end = SCALE_TOLERANCES * tolerance;
  const tints = Array.from({ length: 2 * STEPS + 1 }, (_, k) =>
    linearBytes(deviationTint(((k - STEPS) / STEPS) * end, tolerance)),
  );
  const [unknown, filled] = [linearBytes(UNKNOWN_TINT), linearBytes(INVENTED_TINT)];
  const out = new Uint8Array(3 * values.length);
  for (let v = 0; v < values.length; v++) {
    const d = values[v];
    const step = Math.max(-STEPS, Math.min(STEPS, Math.round((d / end) * STEPS)));
    out.set(invented?.[v] ? filled : Number.isNaN(d) ? unknown : tints[step + STEPS], 3 * v);
  }
  return out;
}

/** Counts values over the scale; what lies beyond its ends is counted in the last bars. */
export function histogramOf(
  values: Float32Array,
  tolerance: number,
  invented: Uint8Array | undefined,
  bars = 41,
): Bar[] {
  const end = SCALE_TOLERANCES * tolerance;
  const width = (2 * end) / bars;
  const out = Array.from({ length: bars }, (_, k): Bar => ({
    from: -end + k * width,
    to: -end + (k + 1) * width,
    count: 0,
  }));
  for (let v = 0; v < values.length; v++) {
    if (invented?.[v] || Number.isNaN(values[v])) continue;
    out[Math.max(0, Math.min(bars - 1, Math.floor((values[v] + end) / width)))].count++;
  }
  return out;
}

import { interpolateRgbBasis } from 'd3';
import type { Bar } from '../histogram-legend';
import { linearBytes } from '../../../view/view-content';

/**
 * Walls: from what is wanted down to nothing orange, the thinner the darker; from what is wanted upwards light, turning to blue.
 * The border is told by lightness, too.
 */
const THIN = interpolateRgbBasis(['#4a1500', '#9a3f06', '#d9801f', '#f2b45c']);
const THICK = interpolateRgbBasis(['#efe9dc', '#c9d6da', '#8fb0c2', '#5b8aa8']);
export const NO_WALL_TINT = '#a39a8c';

/** The end of the scale, in times what is wanted. */
export const SCALE_WALLS = 4;
const STEPS = 128;

/** The colour of a thickness as CSS. */
export function wallTint(thickness: number, least: number): string {
  if (Number.isNaN(thickness)) return NO_WALL_TINT;
  if (thickness < least) return THIN(thickness / least);
  return THICK(Math.min(1, (thickness - least) / ((SCALE_WALLS - 1) * least)));
}

/** Linear bytes per vertex. O(n) */
export function wallColors(thickness: Float32Array, least: number): Uint8Array {
  const end = SCALE_WALLS * least;
  // Each step by its middle: the border between thin and thick lies between two steps.
  const tints = Array.from({ length: STEPS }, (_, k) => linearBytes(wallTint(((k + 0.5) / STEPS) * end, least)));
  const none = linearBytes(NO_WALL_TINT);
  const out = new Uint8Array(3 * thickness.length);
  for (let v = 0; v < thickness.length; v++) {
    const t = thickness[v];
    out.set(Number.isNaN(t) ? none : tints[Math.min(STEPS - 1, Math.floor((t / end) * STEPS))], 3 * v);
  }
  return out;
}

/** How many vertices have which thickness, in even bars up to the end of the scale; thicker ones count in the last. */
export function wallBars(thickness: Float32Array, least: number, bars = 40): Bar[] {
  const end = SCALE_WALLS * least;
  const out = Array.from({ length: bars }, (_, k): Bar => ({
    from: (k / bars) * end,
    to: ((k + 1) / bars) * end,
    count: 0,
  }));
  for (const t of thickness) if (!Number.isNaN(t)) out[Math.min(bars - 1, Math.floor((t / end) * bars))].count++;
  return out;
}

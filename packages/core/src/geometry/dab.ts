import { isNumber, isPlace } from '../runtime/edit-rules.js';

/** One dab of a brush: its middle, mm, its radius, mm, and how hard a pen presses, 0–1 (a mouse: 1). */
export type Dab = readonly [x: number, y: number, z: number, radius: number, pressure: number];

/** Dabs of one stroke at most. */
export const MOST_DABS = 5000;
const WIDEST = 1e4;

const isDab = (v: unknown): boolean =>
  Array.isArray(v) && v.length === 5 && isPlace(v.slice(0, 3)) && isNumber(v[3], 1e-3, WIDEST) && isNumber(v[4], 0, 1);

/** Is something the dabs of a stroke? */
export const areDabs = (v: unknown): boolean =>
  Array.isArray(v) && v.length > 0 && v.length <= MOST_DABS && v.every((dab) => isDab(dab));

import { pointCount, type PointCloud } from '../geometry/point-cloud.js';
import { PlaneFit } from '../math/plane-fit.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { PointGrid } from '../spatial/point-grid.js';
import { pointsAround } from './spacing.js';

/** Surroundings of a place: everything within so many spacings. */
const REACH = 4;
/** Terms of the patch laid through them, and how many points it takes to tell noise from shape. */
const TERMS = 6;
const LEAST = 2 * TERMS;
const MOST = 512;

/**
 * Noise of a cloud across its surface, mm: at some places a quadratic patch is laid through all points within four
 * spacings; what they stand off it, per point that is left over, is the noise there, and its median is taken. Smooth shape
 * does not count, however curved. NaN where the points lie too far apart to tell. O(n) to find the surroundings.
 *
 * Source: the local quadratic fit of F. Cazals, M. Pouget (2005), Estimating differential quantities using polynomial
 * fitting of osculating jets; its residual over the degrees of freedom is the usual unbiased estimate.
 */
export function estimateNoise(cloud: PointCloud, spacing: number, samples = 400): number {
  const n = pointCount(cloud);
  if (n < LEAST || !(spacing > 0)) return NaN;
  const p = cloud.positions;
  const step = Math.max(1, Math.floor(n / samples));
  const places = new Float32Array(3 * Math.ceil(n / step));
  for (let i = 0, at = 0; i < n; i += step, at += 3) places.set(p.subarray(3 * i, 3 * i + 3), at);
  const reach = REACH * spacing;
  const near = pointsAround(p, places, reach);
  const grid = new PointGrid(near, reach);
  const ids = new Uint32Array(MOST);
  const found: number[] = [];
  for (let i = 0; i < places.length; i += 3) {
    const count = grid.within(places[i], places[i + 1], places[i + 2], reach, ids);
    const noise = count < LEAST ? undefined : offPatch(near, ids.subarray(0, count), places.subarray(i, i + 3), reach);
    if (noise !== undefined) found.push(noise);
  }
  return found.length > 0 ? found.sort((a, b) => a - b)[found.length >> 1] : NaN;
}

/** Standard deviation of points from a quadratic patch through them; undefined if they lie in a line. */
function offPatch(p: Float32Array, ids: Uint32Array, middle: Float32Array, reach: number): number | undefined {
  const m = ids.length;
  const plane = new PlaneFit();
  for (const i of ids) plane.add(p[3 * i] - middle[0], p[3 * i + 1] - middle[1], p[3 * i + 2] - middle[2]);
  const n = plane.solve().normal;
  // Two directions across the normal.
  const side = Math.abs(n[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0];
  const u = [n[1] * side[2] - n[2] * side[1], n[2] * side[0] - n[0] * side[2], n[0] * side[1] - n[1] * side[0]];
  const length = Math.hypot(u[0], u[1], u[2]);
  for (let k = 0; k < 3; k++) u[k] /= length;
  const v = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]];
  const a = new Float64Array(TERMS * TERMS);
  const b = new Float64Array(TERMS);
  const terms = new Float64Array(TERMS);
  let squares = 0;
  for (const i of ids) {
    let [s, t, h] = [0, 0, 0];
    for (let k = 0; k < 3; k++) {
      const d = p[3 * i + k] - middle[k];
      // In units of the reach: sums of one size, whatever the unit.
      s += (d * u[k]) / reach;
      t += (d * v[k]) / reach;
      h += d * n[k];
    }
    terms.set([1, s, t, s * s, s * t, t * t]);
    for (let r = 0; r < TERMS; r++) {
      b[r] += terms[r] * h;
      for (let q = 0; q < TERMS; q++) a[r * TERMS + q] += terms[r] * terms[q];
    }
    squares += h * h;
  }
  const right = b.slice();
  if (!solveCholeskyInPlace(a, b, TERMS)) return undefined;
  // Residual of a least-squares fit: the squares less what the fit explains.
  let explained = 0;
  for (let r = 0; r < TERMS; r++) explained += b[r] * right[r];
  return Math.sqrt(Math.max(0, squares - explained) / (m - TERMS));
}

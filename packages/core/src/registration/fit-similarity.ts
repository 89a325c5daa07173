import type { PointCloud } from '../geometry/point-cloud.js';
import { fromTwist, invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import type { PointGrid } from '../spatial/point-grid.js';
import { boxOf } from './cloud-measures.js';

/** A motion with a factor on all lengths before it: a point p comes to lie at pose · (scale · p). */
export interface Similarity {
  pose: Mat4;
  scale: number;
}

export interface SimilarityFit extends Similarity {
  /** Source points that found a partner in the last round. */
  pairs: number;
  /** Weighted root mean square distance to the partner's plane, mm. */
  rms: number;
  /**
   * One standard deviation of the scale, as a share of it, from what it would be without each part of the target: where a
   * source is bent, the parts do not agree (jackknife; J. Tukey 1958).
   */
  scaleUncertainty: number;
  /** False if there were too few pairs, or the surface leaves something free. */
  wellPosed: boolean;
}

/** Turn, shift and scale. */
const FREEDOMS = 7;
const LEAST_PAIRS = 20;
/** Smallest cosine between paired normals. */
const SAME_WAY = 0.7;
/** Parts of the target, one in each direction from its middle, that are left out in turn to learn how sure the scale is. */
const PARTS = 8;

/**
 * Iterated closest points, point to plane with Tukey weights, with the size of the source free. Both clouds need normals. It
 * must begin near the true size: a source that is free to shrink fits everywhere once it is small.
 * Source: P. Besl, N. McKay (1992), A method for registration of 3-D shapes; here linearised with a scale about the
 * middle of the target.
 */
export function fitSimilarity(
  source: PointCloud,
  sample: Uint32Array,
  target: PointCloud,
  grid: PointGrid,
  start: Similarity,
  { maxDistance, minDistance, rounds }: { maxDistance: number; minDistance: number; rounds: number },
): SimilarityFit {
  const p = source.positions;
  const pn = source.normals!;
  const q = target.positions;
  const qn = target.normals!;
  const { min, max } = boxOf(target);
  const c = [0, 1, 2].map((k) => (min[k] + max[k]) / 2);
  const H = new Float64Array(PARTS * FREEDOMS * FREEDOMS);
  const g = new Float64Array(PARTS * FREEDOMS);
  const row = new Float64Array(FREEDOMS);
  let { pose, scale } = start;
  let pairs = 0;
  let energy = 0;
  let weights = 0;
  let scaleUncertainty = Infinity;
  for (let round = 0; round < rounds; round++) {
    const reach = maxDistance * (minDistance / maxDistance) ** (round / Math.max(1, rounds - 1));
    H.fill(0);
    g.fill(0);
    pairs = 0;
    energy = 0;
    weights = 0;
    const m = pose;
    for (const i of sample) {
      const [sx, sy, sz] = [scale * p[3 * i], scale * p[3 * i + 1], scale * p[3 * i + 2]];
      const x = m[0] * sx + m[4] * sy + m[8] * sz + m[12];
      const y = m[1] * sx + m[5] * sy + m[9] * sz + m[13];
      const z = m[2] * sx + m[6] * sy + m[10] * sz + m[14];
      const j = grid.nearest(x, y, z, reach);
      if (j < 0) continue;
      const [nx, ny, nz] = [qn[3 * j], qn[3 * j + 1], qn[3 * j + 2]];
      const [ox, oy, oz] = [pn[3 * i], pn[3 * i + 1], pn[3 * i + 2]];
      const facing =
        nx * (m[0] * ox + m[4] * oy + m[8] * oz) +
        ny * (m[1] * ox + m[5] * oy + m[9] * oz) +
        nz * (m[2] * ox + m[6] * oy + m[10] * oz);
      if (facing < SAME_WAY) continue;
      const r = nx * (x - q[3 * j]) + ny * (y - q[3 * j + 1]) + nz * (z - q[3 * j + 2]);
      const u = r / reach;
      if (u >= 1 || u <= -1) continue;
      const w = (1 - u * u) ** 2;
      const [dx, dy, dz] = [x - c[0], y - c[1], z - c[2]];
      row[0] = dy * nz - dz * ny;
      row[1] = dz * nx - dx * nz;
      row[2] = dx * ny - dy * nx;
      row[3] = nx;
      row[4] = ny;
      row[5] = nz;
      row[6] = nx * dx + ny * dy + nz * dz;
      const part = (dx > 0 ? 1 : 0) + (dy > 0 ? 2 : 0) + (dz > 0 ? 4 : 0);
      const [atH, atG] = [part * FREEDOMS * FREEDOMS, part * FREEDOMS];
      for (let a = 0; a < FREEDOMS; a++) {
        g[atG + a] -= w * r * row[a];
        for (let b = 0; b <= a; b++) H[atH + FREEDOMS * a + b] += w * row[a] * row[b];
      }
      pairs++;
      energy += w * r * r;
      weights += w;
    }
    if (pairs < LEAST_PAIRS) break;
    const step = solvedWithout(-1, H, g);
    if (!step) {
      pairs = 0;
      break;
    }
    if (round === rounds - 1) scaleUncertainty = jackknifed(H, g);
    const grown = Math.max(0.8, Math.min(1.25, 1 + step[6]));
    const turn = fromTwist(step[0], step[1], step[2], 0, 0, 0);
    const next = multiply(turn, pose);
    for (let k = 0; k < 3; k++) {
      const t = turn[k] * (pose[12] - c[0]) + turn[k + 4] * (pose[13] - c[1]) + turn[k + 8] * (pose[14] - c[2]);
      next[12 + k] = c[k] + grown * t + step[3 + k];
    }
    pose = next;
    scale *= grown;
  }
  return {
    pose,
    scale,
    pairs,
    rms: weights > 0 ? Math.sqrt(energy / weights) : Infinity,
    scaleUncertainty,
    wellPosed: pairs >= LEAST_PAIRS && Number.isFinite(scaleUncertainty),
  };
}

/** The step that all parts but one ask for; all of them for -1. Undefined where the surface leaves something free. */
function solvedWithout(left: number, H: Float64Array, g: Float64Array): Float64Array | undefined {
  const A = new Float64Array(FREEDOMS * FREEDOMS);
  const x = new Float64Array(FREEDOMS);
  for (let part = 0; part < PARTS; part++) {
    if (part === left) continue;
    for (let k = 0; k < A.length; k++) A[k] += H[part * A.length + k];
    for (let k = 0; k < FREEDOMS; k++) x[k] += g[part * FREEDOMS + k];
  }
  for (let k = 0; k < FREEDOMS; k++) A[k * (FREEDOMS + 1)] *= 1 + 1e-7;
  return solveCholeskyInPlace(A, x, FREEDOMS) ? x : undefined;
}

/** One standard deviation of the scale from what it is without each part that has anything. */
function jackknifed(H: Float64Array, g: Float64Array): number {
  const scales: number[] = [];
  for (let part = 0; part < PARTS; part++) {
    // A part without a pair changes nothing.
    if (H[part * FREEDOMS * FREEDOMS + 3 * (FREEDOMS + 1)] === 0 && H[part * FREEDOMS * FREEDOMS] === 0) continue;
    const step = solvedWithout(part, H, g);
    if (!step) return Infinity;
    scales.push(step[FREEDOMS - 1]);
  }
  const n = scales.length;
  if (n < 2) return Infinity;
  const mean = scales.reduce((sum, v) => sum + v, 0) / n;
  return Math.sqrt(((n - 1) / n) * scales.reduce((sum, v) => sum + (v - mean) ** 2, 0));
}

/** Do two ways to lay a source on a target differ by less than a share of its size and a turn? @param size of the target, mm */
export function isSameSimilarity(a: Similarity, b: Similarity, size: number): boolean {
  if (Math.abs(Math.log(a.scale / b.scale)) > 0.03) return false;
  const delta = multiply(invertRigid(a.pose), b.pose);
  const cos = (delta[0] + delta[5] + delta[10] - 1) / 2;
  const shift = Math.hypot(a.pose[12] - b.pose[12], a.pose[13] - b.pose[13], a.pose[14] - b.pose[14]);
  return cos > 0.98 && shift < 0.1 * size;
}

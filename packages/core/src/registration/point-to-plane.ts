import type { PointCloud } from '../geometry/point-cloud.js';
import type { Mat4 } from '../math/mat4.js';
import type { PointGrid } from '../spatial/point-grid.js';

/** Sums of one pair's linearised point-to-plane errors. */
export interface PairSystem {
  /** 6×6 information matrix, row-major, for a small twist (rotation, translation) of the source in the target's frame. */
  information: Float64Array;
  /** Right-hand side: information · twist = -gradient. */
  gradient: Float64Array;
  /** Weighted squared residuals and the weights' sum. */
  energy: number;
  weight: number;
  /** Pairs found within the search distance with agreeing normals. */
  pairs: number;
  /** Source points tried. */
  tried: number;
}

export function createPairSystem(): PairSystem {
  return { information: new Float64Array(36), gradient: new Float64Array(6), energy: 0, weight: 0, pairs: 0, tried: 0 };
}

export interface PointToPlaneOptions {
  /** Pairs further apart are ignored, mm. */
  maxDistance: number;
  /** Residual at which a pair loses all weight (Tukey's biweight), mm. */
  tukey: number;
  /** Smallest cosine between the two normals. */
  minNormalCosine: number;
  /** How far the points' planes can be trusted (0–1, see `surfaceTrust`); fully where left away. */
  sourceTrust?: Float32Array;
  targetTrust?: Float32Array;
}

/**
 * Pairs source points with their closest target points and sums the linearised point-to-plane errors with Tukey's
 * biweight. Allocates nothing. O(tried · neighbours).
 *
 * Sources: Y. Chen, G. Medioni (1992), Object modelling by registration of multiple range images (point to plane);
 * A. Beaton, J. Tukey (1974), The fitting of power series (biweight).
 *
 * @param found if given, takes the source points that found a partner (`out.pairs` of them)
 * @param centre about where the twist turns, in the target's frame; keeps the matrix well conditioned
 */
export function accumulatePointToPlane(
  source: PointCloud,
  sample: Uint32Array,
  sampleCount: number,
  target: PointCloud,
  grid: PointGrid,
  targetFromSource: Mat4,
  centre: ArrayLike<number>,
  o: PointToPlaneOptions,
  out: PairSystem,
  found?: Uint32Array,
): void {
  const m = targetFromSource;
  const { information: A, gradient: g } = out;
  A.fill(0);
  g.fill(0);
  let energy = 0;
  let weight = 0;
  let pairs = 0;
  const p = source.positions;
  const pn = source.normals!;
  const q = target.positions;
  const qn = target.normals!;
  const { sourceTrust, targetTrust } = o;
  const tried = Math.min(sampleCount, sample.length);
  const j = new Float64Array(6);
  for (let s = 0; s < tried; s++) {
    const i = 3 * sample[s];
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    const hit = grid.nearest(x, y, z, o.maxDistance);
    if (hit < 0) continue;
    const k = 3 * hit;
    const nx = qn[k];
    const ny = qn[k + 1];
    const nz = qn[k + 2];
    const sx = m[0] * pn[i] + m[4] * pn[i + 1] + m[8] * pn[i + 2];
    const sy = m[1] * pn[i] + m[5] * pn[i + 1] + m[9] * pn[i + 2];
    const sz = m[2] * pn[i] + m[6] * pn[i + 1] + m[10] * pn[i + 2];
    if (nx * sx + ny * sy + nz * sz < o.minNormalCosine) continue;
    if (found) found[pairs] = sample[s];
    pairs++;
    const r = (x - q[k]) * nx + (y - q[k + 1]) * ny + (z - q[k + 2]) * nz;
    const u = r / o.tukey;
    if (u >= 1 || u <= -1) continue;
    let w = (1 - u * u) * (1 - u * u);
    if (sourceTrust) w *= sourceTrust[sample[s]];
    if (targetTrust) w *= targetTrust[hit];
    const cx = x - centre[0];
    const cy = y - centre[1];
    const cz = z - centre[2];
    j[0] = cy * nz - cz * ny;
    j[1] = cz * nx - cx * nz;
    j[2] = cx * ny - cy * nx;
    j[3] = nx;
    j[4] = ny;
    j[5] = nz;
    for (let a = 0; a < 6; a++) {
      const wa = w * j[a];
      g[a] += wa * r;
      for (let b = 0; b <= a; b++) A[a * 6 + b] += wa * j[b];
    }
    energy += w * r * r;
    weight += w;
  }
  for (let a = 0; a < 6; a++) for (let b = a + 1; b < 6; b++) A[a * 6 + b] = A[b * 6 + a];
  out.energy = energy;
  out.weight = weight;
  out.pairs = pairs;
  out.tried = tried;
}

import type { PointCloud } from '../geometry/point-cloud.js';
import { boxOf } from './cloud-measures.js';
import { fromTranslation, fromTwist, multiply, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import type { PointGrid } from '../spatial/point-grid.js';
import { accumulatePointToPlane, createPairSystem } from './point-to-plane.js';

export interface RegisterIcpOptions {
  /** Search distance at the start, mm. */
  maxDistance: number;
  /** Search distance at the end, mm; shrinks evenly (geometrically) from the first. */
  minDistance: number;
  maxIterations: number;
  /** Smallest cosine between paired normals. */
  minNormalCosine: number;
}

export const REGISTER_ICP_DEFAULTS: Omit<RegisterIcpOptions, 'maxDistance' | 'minDistance'> = {
  maxIterations: 12,
  minNormalCosine: 0.7,
};

export interface RegisterIcpResult {
  targetFromSource: Mat4;
  /** Share of the tried source points that found a partner (0–1). */
  overlapRatio: number;
  /** Weighted root mean square distance to the partner's plane, mm. */
  rms: number;
  /** False if there were too few pairs or a singular system; the placement is then the last good one. */
  wellPosed: boolean;
}

/**
 * Iterated closest points, point to plane with Tukey weights, from a starting placement. Both clouds need normals.
 * Never fails to return: a singular system stops it with `wellPosed: false`.
 * Source: P. Besl, N. McKay (1992), A method for registration of 3-D shapes; error of Chen and Medioni (1992).
 */
export function registerIcp(
  source: PointCloud,
  sample: Uint32Array,
  target: PointCloud,
  grid: PointGrid,
  start: Mat4,
  options: Partial<RegisterIcpOptions> & Pick<RegisterIcpOptions, 'maxDistance' | 'minDistance'>,
): RegisterIcpResult {
  const o = { ...REGISTER_ICP_DEFAULTS, ...options };
  const system = createPairSystem();
  const b = boxOf(target);
  const centre = [(b.min[0] + b.max[0]) / 2, (b.min[1] + b.max[1]) / 2, (b.min[2] + b.max[2]) / 2];
  let placement = start;
  let wellPosed = true;
  const A = new Float64Array(36);
  const x = new Float64Array(6);
  for (let k = 0; k < o.maxIterations; k++) {
    const t = o.maxIterations > 1 ? k / (o.maxIterations - 1) : 1;
    const reach = o.maxDistance * (o.minDistance / o.maxDistance) ** t;
    accumulatePointToPlane(
      source,
      sample,
      sample.length,
      target,
      grid,
      placement,
      centre,
      { maxDistance: reach, tukey: reach, minNormalCosine: o.minNormalCosine },
      system,
    );
    if (system.pairs < 6) {
      wellPosed = false;
      break;
    }
    A.set(system.information);
    // A trace of damping keeps directions that the surface leaves free (a ball, a tube) where they are.
    for (let d = 0; d < 6; d++) {
      A[d * 7] += 1e-6 * A[d * 7] + 1e-9;
      x[d] = -system.gradient[d];
    }
    if (!solveCholeskyInPlace(A, x, 6)) {
      wellPosed = false;
      break;
    }
    placement = multiply(twistAbout(x, 0, centre), placement);
  }
  return {
    targetFromSource: placement,
    overlapRatio: system.tried ? system.pairs / system.tried : 0,
    rms: system.weight > 0 ? Math.sqrt(system.energy / system.weight) : Infinity,
    wellPosed,
  };
}

/** The transform of a small twist (rotation, translation at `at`..`at`+5) that turns about `centre`. */
export function twistAbout(x: ArrayLike<number>, at: number, centre: ArrayLike<number>): Mat4 {
  const turn = fromTwist(x[at], x[at + 1], x[at + 2], 0, 0, 0);
  const back = fromTranslation(centre[0] + x[at + 3], centre[1] + x[at + 4], centre[2] + x[at + 5]);
  return multiply(multiply(back, turn), fromTranslation(-centre[0], -centre[1], -centre[2]));
}

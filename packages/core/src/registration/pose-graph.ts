import { fromTwist, invertRigid, multiply, orthonormalized, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';

/** What was measured of one pose against another. */
export interface PoseLink {
  a: number;
  b: number;
  /** The pose of b as seen from a. */
  aFromB: Mat4;
  /**
   * How well each small motion of the link is known, 6×6, row by row (lower half): turns first, then shifts, in the frame
   * of a. Scaled so that eᵀ Ω e is a mean square distance in mm².
   */
  information: ArrayLike<number>;
}

export interface PoseGraphOptions {
  /** Links that are off by this much count half, mm; Infinity trusts all alike. */
  scale: number;
  iterations: number;
}

export const POSE_GRAPH_DEFAULTS: PoseGraphOptions = { scale: 0.4, iterations: 24 };

/**
 * Poses that agree best with links between them, which contradict one another a little: Gauss–Newton on all poses at
 * once, links far off counting less (Cauchy): little less at first, so that a long way's drift can be taken out by the
 * link that closes it. Poses that no chain of links joins to the fixed one stay as they are.
 * O(links + poses³) an iteration.
 *
 * Sources: F. Lu, E. Milios (1997), Globally consistent range scan alignment for environment mapping; G. Grisetti,
 * R. Kümmerle, C. Stachniss, W. Burgard (2010), A tutorial on graph-based SLAM; A. Blake, A. Zisserman (1987), Visual
 * reconstruction (graduated non-convexity).
 */
export function solvePoseGraph(
  start: readonly Mat4[],
  links: readonly PoseLink[],
  fixed: number,
  options: Partial<PoseGraphOptions> = {},
): Mat4[] {
  const o = { ...POSE_GRAPH_DEFAULTS, ...options };
  const poses = start.slice();
  const n = 6 * poses.length;
  const residual = new Float64Array(6);
  const adjoint = new Float64Array(36);
  const full = new Float64Array(36);
  // From the largest disagreement at the start down to the scale asked for (graduated non-convexity).
  let scale = Infinity;
  for (let iteration = 0; iteration < o.iterations; iteration++) {
    let worst = 0;
    const H = new Float64Array(n * n);
    const g = new Float64Array(n);
    for (const { a, b, aFromB, information } of links) {
      const between = multiply(invertRigid(poses[a]), poses[b]);
      smallTwist(multiply(between, invertRigid(aFromB)), residual);
      mirror(information, full);
      const square = quadratic(full, residual);
      worst = Math.max(worst, square);
      const weight = scale === Infinity ? 1 : 1 / (1 + square / (scale * scale));
      adjointOf(between, adjoint);
      addLink(H, g, n, 6 * a, 6 * b, full, adjoint, residual, weight);
    }
    // What no link holds stays; the fixed pose is held by a rod.
    for (let i = 0; i < n; i++) H[i * n + i] += 1e-9;
    for (let k = 0; k < 6; k++) H[(6 * fixed + k) * (n + 1)] += 1e9;
    if (!solveCholeskyInPlace(H, g, n)) return poses;
    let largest = 0;
    for (let i = 0; i < poses.length; i++) {
      const [a, b, c, x, y, z] = Array.from({ length: 6 }, (_, k) => -g[6 * i + k]);
      poses[i] = orthonormalized(multiply(poses[i], fromTwist(a, b, c, x, y, z)));
      largest = Math.max(largest, 100 * Math.hypot(a, b, c), Math.hypot(x, y, z));
    }
    if (largest < 1e-3 && scale === o.scale) break;
    scale = Math.max(o.scale, 0.5 * (scale === Infinity ? Math.sqrt(worst) : scale));
  }
  poses[fixed] = start[fixed];
  return poses;
}

/** Turn vector and shift of a motion near none. */
function smallTwist(m: Mat4, out: Float64Array): void {
  out[0] = 0.5 * (m[6] - m[9]);
  out[1] = 0.5 * (m[8] - m[2]);
  out[2] = 0.5 * (m[1] - m[4]);
  out[3] = m[12];
  out[4] = m[13];
  out[5] = m[14];
}

/** Carries a twist from b's frame to a's, row by row. */
function adjointOf(m: Mat4, out: Float64Array): void {
  out.fill(0);
  const t = [m[12], m[13], m[14]];
  for (let c = 0; c < 3; c++) {
    const column = [m[4 * c], m[4 * c + 1], m[4 * c + 2]];
    for (let r = 0; r < 3; r++) {
      out[6 * r + c] = column[r];
      out[6 * (r + 3) + c + 3] = column[r];
      const [p, q] = [(r + 1) % 3, (r + 2) % 3];
      out[6 * (r + 3) + c] = t[p] * column[q] - t[q] * column[p];
    }
  }
}

function mirror(lower: ArrayLike<number>, out: Float64Array): void {
  for (let r = 0; r < 6; r++) for (let c = 0; c <= r; c++) out[6 * r + c] = out[6 * c + r] = lower[6 * r + c];
}

function quadratic(M: Float64Array, e: Float64Array): number {
  let sum = 0;
  for (let r = 0; r < 6; r++) for (let c = 0; c < 6; c++) sum += e[r] * M[6 * r + c] * e[c];
  return sum;
}

/** Adds one link's rows: the residual changes by −ξa and by Ad ξb. */
function addLink(
  H: Float64Array,
  g: Float64Array,
  n: number,
  a: number,
  b: number,
  M: Float64Array,
  J: Float64Array,
  e: Float64Array,
  w: number,
): void {
  for (let r = 0; r < 6; r++) {
    for (let c = 0; c < 6; c++) {
      H[(a + r) * n + a + c] += w * M[6 * r + c];
      // MJ and JᵀMJ.
      let mj = 0;
      let jmj = 0;
      for (let k = 0; k < 6; k++) {
        mj += M[6 * r + k] * J[6 * k + c];
        let jm = 0;
        for (let l = 0; l < 6; l++) jm += J[6 * l + r] * M[6 * l + k];
        jmj += jm * J[6 * k + c];
      }
      H[(b + r) * n + b + c] += w * jmj;
      H[(a + r) * n + b + c] -= w * mj;
      H[(b + c) * n + a + r] -= w * mj;
    }
    let me = 0;
    let jme = 0;
    for (let k = 0; k < 6; k++) {
      me += M[6 * r + k] * e[k];
      for (let l = 0; l < 6; l++) jme += J[6 * k + r] * M[6 * k + l] * e[l];
    }
    g[a + r] -= w * me;
    g[b + r] += w * jme;
  }
}

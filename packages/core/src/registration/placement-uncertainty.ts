import { diagonalOf } from '../geometry/point-cloud.js';
import { boxOf } from './cloud-measures.js';
import { symmetricEigen } from '../math/eigen.js';
import type { PlacementUncertainty } from '../geometry/scan.js';
import { invertRigid, multiply, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import { choleskyInPlace, solveWithCholesky } from '../math/solve.js';
import { pointsTried, type RefinementScan } from './joint-refinement.js';

export interface UncertaintyOptions {
  /** Partners further apart are ignored; residual at which a pair loses all weight, mm. */
  maxDistance: number;
  tukey: number;
  /** Source points tried for each pair: as many as the placement was fitted with; more of scans that their faces hold. */
  samples: number;
}

/** What is known of a scan's place beyond the shape, as from its paint: a small motion and how far it could go. */
export interface KnownMotion {
  scan: number;
  /** Turn (rad) and shift (mm) about `centre`, in the scan's frame, that move its surface by about one mm. */
  twist: ArrayLike<number>;
  centre: Vec3;
  /** Standard deviation along it, mm. */
  sigma: number;
}

/** Crisp edges err together, not each for itself: points with less trust than this hold nothing. */
const RELIABLE = 0.25;
/**
 * Where scans are held by flat faces, what lies beside these is mostly bevels that thinning makes of edges. They err together as
 * well: the slides that they alone hold were off by up to 0.16 mm at a predicted deviation of 0.016. They count so much.
 */
const BESIDE_FACES = 0.04;
/**
 * Where turns and shifts are put together, turns count as what they move at this share of the extent: little, so that it is the
 * shifts that tell how far a motion goes. Found with the jug, whose predicted and true errors agree so.
 */
const TURNS_COUNT_AT = 0.006;
/** A scan that nothing holds is somewhere within a turn of this and within the piece. */
const UNHELD_TURN = 1;

/**
 * How well each scan is held by those it lies on: the covariance of the weighted least squares that fitted them,
 * C = H⁻¹ M H⁻¹, with H the information of all pairs and M the same with each pair's own variance of residuals. One scan
 * must be taken as fixed for that: the one that its neighbours hold best, so that a scan that hardly anything holds does
 * not make all others look loose.
 *
 * Normals are measured, and their noise would look like structure that holds a scan on a plane. So information is summed
 * over products of the source's with the target's Jacobian, whose noise is independent: it averages out.
 *
 * Sources: H. White (1980), A heteroskedasticity-consistent covariance matrix estimator (C); A. Censi (2007), An accurate
 * closed-form estimate of ICP's covariance, and S. Rusinkiewicz, M. Levoy (2001), Efficient variants of the ICP algorithm
 * (what the shape holds). O(pairs · samples · neighbours + scans³).
 *
 * @param poses pieceFromScan, where the fit ended
 * @param pairs that overlap
 */
export function placementUncertainty(
  scans: readonly RefinementScan[],
  poses: readonly Mat4[],
  pairs: readonly (readonly [number, number])[],
  options: UncertaintyOptions,
  known: readonly KnownMotion[] = [],
): { anchor: number; uncertainty: PlacementUncertainty[] } {
  const n = scans.length;
  const size = 6 * n;
  const middles = scans.map((s, i) => middleOf(s, poses[i]));
  const centre = meanOf(middles);
  const extent = Math.max(...scans.map((s) => diagonalOf(boxOf(s.cloud)))) || 1;
  const H = new Float64Array(size * size);
  const M = new Float64Array(size * size);
  /** What crisp edges of flat-faced scans bring, and the whole as its parts make it, none of which takes from another. */
  const errTogether = scans.some((s) => s.edgesErr);
  const E = new Float64Array(errTogether ? size * size : 0);
  const G = new Float64Array(errTogether ? size * size : 0);
  const information = new Float64Array(36);
  let variance = 0;
  let fits = 0;
  for (const [a, b] of pairs) {
    for (const [source, target] of [
      [a, b],
      [b, a],
    ]) {
      const fit = pairInformation(
        scans[source],
        scans[target],
        poses[source],
        poses[target],
        centre,
        options,
        TURNS_COUNT_AT * extent,
        information,
        errTogether,
      );
      if (!fit) continue;
      variance += fit.variance;
      fits++;
      addPair(H, size, source, target, information, 1);
      if (fit.parts) {
        addPair(G, size, source, target, fit.parts.whole, 1);
        addPair(E, size, source, target, fit.parts.beside, 1);
      }
      // Looking from both sides sees the same noise twice, as far as the same points were used.
      const twice = 1 + Math.min(1, pointsTried(scans[target], options.samples) / scans[target].sample.length);
      addPair(M, size, source, target, information, twice * fit.variance);
    }
  }
  for (const { scan, twist, centre: at, sigma } of known) {
    if (!Number.isFinite(sigma)) continue;
    const seen = partAlong(twistInPiece(poses[scan], twist, at, centre), extent);
    for (let r = 0; r < 6; r++) {
      for (let c = 0; c < 6; c++) {
        // One observation of the part of the motion along the twist, as exact as `sigma`.
        const v = seen[r] * seen[c];
        const k = (6 * scan + r) * size + 6 * scan + c;
        H[k] += v;
        if (errTogether) G[k] += v;
        M[k] += v * sigma * sigma;
      }
    }
  }
  const anchor = bestHeld(H, size, extent);
  const typical = fits > 0 ? variance / fits : 1e-6 * extent * extent;
  holdLoosely(H, M, size, anchor, extent, typical);
  const C = sandwich(H, M, size);
  if (errTogether) {
    holdLoosely(G, new Float64Array(size * size), size, anchor, extent, typical);
    addCommonErrors(C, G, E, size, anchor, scans);
  }
  const out = scans.map((s, i) => ({
    centre: middles[i],
    radius: diagonalOf(boxOf(s.cloud)) / 2,
    covariance: i === anchor ? new Array<number>(36).fill(0) : about(C, size, i, centre, middles[i]),
  }));
  // What else was known has decided those motions alone: there the shape does not make it any surer.
  for (const { scan, twist, centre: at, sigma } of known) {
    if (Number.isFinite(sigma))
      raise(out[scan].covariance, twistInPiece(poses[scan], twist, at, middles[scan]), sigma, extent);
  }
  return { anchor, uncertainty: out };
}

/** The scan whose neighbours leave it the least freedom in its loosest direction. */
function bestHeld(H: Float64Array, size: number, extent: number): number {
  let best = { scan: 0, least: -Infinity };
  const block = new Float64Array(36);
  const length = (k: number): number => (k < 3 ? extent / 2 : 1);
  for (let scan = 0; scan < size / 6; scan++) {
    for (let r = 0; r < 6; r++) {
      for (let c = 0; c < 6; c++) {
        block[6 * r + c] = H[(6 * scan + r) * size + 6 * scan + c] / (length(r) * length(c));
      }
    }
    const least = symmetricEigen(block, 6).values[0];
    if (least > best.least) best = { scan, least };
  }
  return best.scan;
}

/**
 * Information of one scan's points against another's planes, symmetrised and without negative parts, into `out`.
 * @param split whether it is to be told in parts as well
 * @returns the variance of the residuals, mm², and, with the weights of the fit, what lies beside flat faces and the sum of that
 *   and the rest; undefined if too few points have partners
 */
function pairInformation(
  source: RefinementScan,
  target: RefinementScan,
  pieceFromSource: Mat4,
  pieceFromTarget: Mat4,
  centre: Vec3,
  o: UncertaintyOptions,
  arm: number,
  out: Float64Array,
  split: boolean,
): { variance: number; parts?: { beside: Float64Array; whole: Float64Array } } | undefined {
  const m = multiply(invertRigid(pieceFromTarget), pieceFromSource);
  const p = source.cloud.positions;
  const pn = source.cloud.normals!;
  const q = target.cloud.positions;
  const qn = target.cloud.normals!;
  const at: Vec3 = [0, 0, 0];
  const s = new Float64Array(6);
  const t = new Float64Array(6);
  const sum = new Float64Array(36);
  const beside = new Float64Array(36);
  const onFaces = new Float64Array(36);
  let energy = 0;
  let weight = 0;
  let count = 0;
  const tried = pointsTried(source, o.samples);
  for (let k = 0; k < tried; k++) {
    const i = 3 * source.sample[k];
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    const hit = target.grid.nearest(x, y, z, o.maxDistance);
    if (hit < 0) continue;
    const h = 3 * hit;
    // The source's normal in the target's frame.
    const sx = m[0] * pn[i] + m[4] * pn[i + 1] + m[8] * pn[i + 2];
    const sy = m[1] * pn[i] + m[5] * pn[i + 1] + m[9] * pn[i + 2];
    const sz = m[2] * pn[i] + m[6] * pn[i + 1] + m[10] * pn[i + 2];
    if (sx * qn[h] + sy * qn[h + 1] + sz * qn[h + 2] < 0.8) continue;
    const r = (x - q[h]) * qn[h] + (y - q[h + 1]) * qn[h + 1] + (z - q[h + 2]) * qn[h + 2];
    const u = r / o.tukey;
    if (u >= 1 || u <= -1) continue;
    let w = (1 - u * u) * (1 - u * u);
    const trust = (source.trust?.[i / 3] ?? 1) * (target.trust?.[hit] ?? 1);
    if (trust < RELIABLE) continue;
    w *= trust;
    const isBeside = isBesideFaces(source, i / 3) || isBesideFaces(target, hit);
    const fitted = w;
    if (isBeside) w *= BESIDE_FACES;
    const R = pieceFromTarget;
    at[0] = R[0] * x + R[4] * y + R[8] * z + R[12];
    at[1] = R[1] * x + R[5] * y + R[9] * z + R[13];
    at[2] = R[2] * x + R[6] * y + R[10] * z + R[14];
    jacobian(pieceFromTarget, sx, sy, sz, at, centre, s);
    jacobian(pieceFromTarget, qn[h], qn[h + 1], qn[h + 2], at, centre, t);
    add(sum, s, t, w);
    if (split) add(isBeside ? beside : onFaces, s, t, fitted);
    energy += w * w * r * r;
    weight += w;
    count++;
  }
  if (count < 20) return undefined;
  withoutNegatives(sum, arm, out);
  if (!split) return { variance: energy / weight };
  const whole = new Float64Array(36);
  withoutNegatives(onFaces, arm, whole);
  const atEdges = new Float64Array(36);
  withoutNegatives(beside, arm, atEdges);
  for (let k = 0; k < 36; k++) whole[k] += atEdges[k];
  return { variance: energy / weight, parts: { beside: atEdges, whole } };
}

/** Adds half of w (s tᵀ + t sᵀ). */
function add(sum: Float64Array, s: Float64Array, t: Float64Array, w: number): void {
  for (let a = 0; a < 6; a++) for (let b = 0; b < 6; b++) sum[6 * a + b] += 0.5 * w * (s[a] * t[b] + t[a] * s[b]);
}

/**
 * Adds what comes of edges that err together: a scan's edges stand off by some shift t, the same for all of them, whose
 * deviation in every direction is its `edgesErr`, and the fit follows by H⁻¹ E t. So a slide that edges alone hold is off by
 * as much, and one that faces hold by as little as the edges' share in it. O(scans³).
 */
function addCommonErrors(
  C: Float64Array,
  H: Float64Array,
  E: Float64Array,
  size: number,
  fixed: number,
  scans: readonly RefinementScan[],
): void {
  const L = H.slice();
  if (!choleskyInPlace(L, size)) return;
  const column = new Float64Array(size);
  for (let k = 0; k < size; k++) {
    const sigma = scans[Math.floor(k / 6)].edgesErr ?? 0;
    if (k % 6 < 3 || sigma === 0) continue;
    for (let r = 0; r < size; r++) column[r] = Math.floor(r / 6) === fixed ? 0 : sigma * E[r * size + k];
    solveWithCholesky(L, column, size);
    for (let r = 0; r < size; r++)
      if (column[r] !== 0) for (let c = 0; c < size; c++) C[r * size + c] += column[r] * column[c];
  }
}

const isBesideFaces = ({ onFace }: RefinementScan, i: number): boolean => onFace !== undefined && onFace[i] === 0;

/** How the distance to a plane changes with a small twist about `centre`; the normal is given in the target's frame. */
function jacobian(R: Mat4, x: number, y: number, z: number, at: Vec3, centre: Vec3, out: Float64Array): void {
  const nx = R[0] * x + R[4] * y + R[8] * z;
  const ny = R[1] * x + R[5] * y + R[9] * z;
  const nz = R[2] * x + R[6] * y + R[10] * z;
  const cx = at[0] - centre[0];
  const cy = at[1] - centre[1];
  const cz = at[2] - centre[2];
  out[0] = cy * nz - cz * ny;
  out[1] = cz * nx - cx * nz;
  out[2] = cx * ny - cy * nx;
  out[3] = nx;
  out[4] = ny;
  out[5] = nz;
}

/** The nearest matrix without negative eigenvalues (N. Higham 1988), turns counted as lengths at `arm`, mm. */
function withoutNegatives(symmetric: Float64Array, arm: number, out: Float64Array): void {
  const unit = (k: number): number => (k < 3 ? arm : 1);
  const scaled = symmetric.map((v, k) => v / (unit(Math.floor(k / 6)) * unit(k % 6)));
  const { values, vectors } = symmetricEigen(scaled, 6);
  out.fill(0);
  for (let e = 0; e < 6; e++) {
    if (values[e] <= 0) continue;
    for (let r = 0; r < 6; r++)
      for (let c = 0; c < 6; c++)
        out[6 * r + c] += values[e] * vectors[6 * e + r] * unit(r) * vectors[6 * e + c] * unit(c);
  }
}

function addPair(to: Float64Array, size: number, i: number, j: number, A: Float64Array, factor: number): void {
  for (let r = 0; r < 6; r++) {
    for (let c = 0; c < 6; c++) {
      const v = factor * A[6 * r + c];
      to[(6 * i + r) * size + 6 * i + c] += v;
      to[(6 * j + r) * size + 6 * j + c] += v;
      to[(6 * i + r) * size + 6 * j + c] -= v;
      to[(6 * j + r) * size + 6 * i + c] -= v;
    }
  }
}

/**
 * What nothing else holds is somewhere within the piece; the fixed scan stays where it is. Each such guess weighs as an
 * observation of that deviation among others of `variance` (mm²): whatever the size of the piece, it is outweighed by the least
 * that holds.
 */
function holdLoosely(
  H: Float64Array,
  M: Float64Array,
  size: number,
  fixed: number,
  extent: number,
  variance: number,
): void {
  for (let d = 0; d < size; d++) {
    const sigma = d % 6 < 3 ? UNHELD_TURN : extent;
    const weight = variance / sigma ** 2;
    H[d * size + d] += weight;
    M[d * size + d] += weight * variance;
  }
  for (let r = 6 * fixed; r < 6 * fixed + 6; r++) {
    for (let c = 0; c < size; c++) H[r * size + c] = H[c * size + r] = M[r * size + c] = M[c * size + r] = 0;
    H[r * size + r] = 1;
  }
}

/** H⁻¹ M H⁻¹, both symmetric. */
function sandwich(H: Float64Array, M: Float64Array, size: number): Float64Array {
  const L = H.slice();
  if (!choleskyInPlace(L, size)) return new Float64Array(size * size).fill(Infinity);
  const column = new Float64Array(size);
  const solveRows = (A: Float64Array): void => {
    for (let r = 0; r < size; r++) {
      column.set(A.subarray(r * size, (r + 1) * size));
      solveWithCholesky(L, column, size);
      A.set(column, r * size);
    }
  };
  const C = M.slice();
  solveRows(C); // rows of M H⁻¹
  const T = new Float64Array(size * size);
  for (let r = 0; r < size; r++) for (let c = 0; c < size; c++) T[c * size + r] = C[r * size + c];
  solveRows(T);
  return T;
}

/** Raises the variance along a twist to that of moving the surface by `sigma`, if it is less. */
function raise(covariance: number[], t: readonly number[], sigma: number, extent: number): void {
  const seen = partAlong(t, extent);
  let along = 0;
  for (let r = 0; r < 6; r++) for (let c = 0; c < 6; c++) along += seen[r] * covariance[6 * r + c] * seen[c];
  const more = sigma * sigma - along;
  if (more <= 0) return;
  for (let r = 0; r < 6; r++) for (let c = 0; c < 6; c++) covariance[6 * r + c] += more * t[r] * t[c];
}

/**
 * Numbers by which a motion must be multiplied to get its part along a twist: 1 for the twist itself. Turns become lengths at
 * a small share of the extent, so that the size of the piece does not matter.
 */
function partAlong(t: readonly number[], extent: number): number[] {
  const arm = (TURNS_COUNT_AT * extent) ** 2;
  const weighted = t.map((v, k) => (k < 3 ? arm * v : v));
  const length = t.reduce((s, v, k) => s + v * weighted[k], 0);
  return weighted.map((v) => v / length);
}

/** A scan's 6×6 covariance, the turn taken about another centre: v' = v + ω × (to - from). */
function about(C: Float64Array, size: number, i: number, from: Vec3, to: Vec3): number[] {
  const [x, y, z] = [to[0] - from[0], to[1] - from[1], to[2] - from[2]];
  const S = [0, z, -y, -z, 0, x, y, -x, 0];
  const J = new Float64Array(36);
  for (let k = 0; k < 6; k++) J[7 * k] = 1;
  for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) J[6 * (3 + r) + c] = S[3 * r + c];
  const out = new Array<number>(36);
  for (let r = 0; r < 6; r++) {
    for (let c = 0; c < 6; c++) {
      let v = 0;
      for (let a = 0; a < 6; a++) {
        if (J[6 * r + a] === 0) continue;
        for (let b = 0; b < 6; b++) v += J[6 * r + a] * C[(6 * i + a) * size + 6 * i + b] * J[6 * c + b];
      }
      out[6 * r + c] = v;
    }
  }
  return out;
}

/** A small motion of a scan as one of the piece, its shift given at `centre`. */
function twistInPiece(R: Mat4, twist: ArrayLike<number>, from: Vec3, centre: Vec3): number[] {
  const turned = (at: number): number[] =>
    [0, 1, 2].map((r) => R[r] * twist[at] + R[4 + r] * twist[at + 1] + R[8 + r] * twist[at + 2]);
  const [a, b, c] = turned(0);
  const [u, v, w] = turned(3);
  const start = transformPoint(R, ...from);
  const [x, y, z] = [centre[0] - start[0], centre[1] - start[1], centre[2] - start[2]];
  return [a, b, c, u + b * z - c * y, v + c * x - a * z, w + a * y - b * x];
}

function middleOf(s: RefinementScan, pose: Mat4): Vec3 {
  const b = boxOf(s.cloud);
  return transformPoint(pose, (b.min[0] + b.max[0]) / 2, (b.min[1] + b.max[1]) / 2, (b.min[2] + b.max[2]) / 2);
}

function meanOf(points: readonly Vec3[]): Vec3 {
  const sum: Vec3 = [0, 0, 0];
  for (const p of points) for (let k = 0; k < 3; k++) sum[k] += p[k] / points.length;
  return sum;
}

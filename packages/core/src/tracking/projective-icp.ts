import { fromTwist, identity, invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { accumulateContrast, type ContrastReference } from './contrast-term.js';
import { meanSquareDepth, surfelsOf, type DepthLevel } from './depth-pyramid.js';
import { NormalEquations } from './normal-equations.js';

/** One round of levels, coarse before fine. */
export interface ProjectiveIcpStage {
  frame: DepthLevel;
  model: DepthLevel;
  iterations: number;
  /** Pairs further apart are ignored, mm. */
  maxDistance: number;
  /** Enough once a step is smaller than this multiple of what a last stage asks for; 1 if absent. */
  patience?: number;
  /** Pictures that hold what the shape leaves free. */
  references?: ContrastReference[];
  /** Marker dots that do. */
  dots?: PointPairs;
}

/** Points in the frame's sensor and where they belong in the model's, 3 numbers each, mm. */
export interface PointPairs {
  seen: Float32Array;
  known: Float32Array;
}

/** A dot weighs as much as so many pixels faced squarely. */
const DOT_WEIGHT = 60;
/** Dots further from where they belong do not count, mm. */
const DOT_REACH = 8;

export interface ProjectiveIcpResult {
  /** modelFromFrame: moves the frame onto the model, in the frame of the sensor that the model was seen by. */
  modelFromFrame: Mat4;
  /** Share of the frame's points that fall on pixels where the model is known. */
  overlapRatio: number;
  /** Share of those that lie on the model with agreeing normals. */
  inlierRatio: number;
  /** Root mean square distance of the inliers to the model's planes before the last (small) correction, mm. */
  rms: number;
  /** How well each small motion is known, 6×6 (lower half), turns first: mean squares in mm² for the pairs used. */
  information: Float64Array;
  /** False if the system could not be solved. */
  wellPosed: boolean;
}

const MIN_NORMAL_COSINE = 0.7;
/** A step is short that turns by less, radians, and moves by less, as a share of the distance to the surface. */
const SHORT_TURN = 2e-5;
const SHORT_STEP = 1.2e-5;
/** What the surface leaves free moves as if so little of a pixel held it. */
const DAMPING = 2e-4;

/**
 * Aligns a depth image with a model seen from about the same place: every point is paired with the model's point in
 * the pixel it falls on, then point to plane with Tukey weights. No search, so a pair costs a few operations.
 * O(pixels · iterations).
 *
 * @param trust how much the start is believed, as a share of what a plane faced squarely says: what the surface does
 *   not hold then stays at the start; 0 lets it go
 *
 * Sources: G. Blais, M. Levine (1995), Registering multiview range data to create 3D computer objects (projective
 * pairing); R. Newcombe et al. (2011), KinectFusion.
 */
export function alignProjectively(
  stages: ProjectiveIcpStage[],
  start: Mat4 = identity(),
  trust = 0,
): ProjectiveIcpResult {
  let pose = start;
  const equations = new NormalEquations();
  const { A, b } = equations;
  let wellPosed = true;
  let information = new Float64Array(36);
  const counts: PairCounts = { valid: 0, projected: 0, inliers: 0, squares: 0 };
  for (const stage of stages) {
    const squaredDistance = meanSquareDepth(stage.frame) || 1;
    const shortStep = SHORT_STEP * Math.sqrt(squaredDistance);
    for (let k = 0; k < stage.iterations && wellPosed; k++) {
      accumulate(stage, pose, equations, counts);
      for (const r of stage.references ?? []) accumulateContrast(stage.frame, r, pose, stage.maxDistance, equations);
      if (stage.dots) accumulateDots(stage.dots, pose, equations);
      equations.flush();
      if (counts.inliers < 60) {
        wellPosed = false;
        break;
      }
      information = A.map((v) => v / counts.inliers);
      if (trust > 0) holdTo(start, pose, trust * counts.inliers, squaredDistance, A, b);
      // A little damping holds directions that the surface leaves free.
      for (let a = 0; a < 6; a++) A[7 * a] += DAMPING * (a < 3 ? squaredDistance : 1) + 1e-6 * A[7 * a];
      if (!solveCholeskyInPlace(A, b, 6)) wellPosed = false;
      else {
        pose = multiply(fromTwist(-b[0], -b[1], -b[2], -b[3], -b[4], -b[5]), pose);
        const enough = stage.patience ?? 1;
        if (Math.hypot(b[0], b[1], b[2]) < SHORT_TURN * enough && Math.hypot(b[3], b[4], b[5]) < shortStep * enough)
          break;
      }
    }
  }
  return {
    modelFromFrame: pose,
    overlapRatio: counts.valid > 0 ? counts.projected / counts.valid : 0,
    inlierRatio: counts.projected > 0 ? counts.inliers / counts.projected : 0,
    rms: counts.inliers > 0 ? Math.sqrt(counts.squares / counts.inliers) : Infinity,
    information,
    wellPosed,
  };
}

/** Adds springs that draw a pose back to where it began; turns count by what they move at the frame's distance. */
function holdTo(
  start: Mat4,
  pose: Mat4,
  weight: number,
  squaredDistance: number,
  A: Float64Array,
  b: Float64Array,
): void {
  const d = multiply(pose, invertRigid(start));
  // Small turns: the antisymmetric half of the rotation.
  const strayed = [0.5 * (d[6] - d[9]), 0.5 * (d[8] - d[2]), 0.5 * (d[1] - d[4]), d[12], d[13], d[14]];
  for (let k = 0; k < 6; k++) {
    const w = k < 3 ? weight * squaredDistance : weight;
    A[7 * k] += w;
    b[k] += w * strayed[k];
  }
}

/** Adds three rows for each dot: it is to lie where it belongs. */
function accumulateDots({ seen, known }: PointPairs, m: Mat4, equations: NormalEquations): void {
  for (let i = 0; i < seen.length; i += 3) {
    const x = m[0] * seen[i] + m[4] * seen[i + 1] + m[8] * seen[i + 2] + m[12];
    const y = m[1] * seen[i] + m[5] * seen[i + 1] + m[9] * seen[i + 2] + m[13];
    const z = m[2] * seen[i] + m[6] * seen[i + 1] + m[10] * seen[i + 2] + m[14];
    const ex = x - known[i];
    const ey = y - known[i + 1];
    const ez = z - known[i + 2];
    const t = (ex * ex + ey * ey + ez * ez) / DOT_REACH ** 2;
    if (t >= 1) continue;
    const w = DOT_WEIGHT * (1 - t) * (1 - t);
    equations.add(0, z, -y, 1, 0, 0, ex, w);
    equations.add(-z, 0, x, 0, 1, 0, ey, w);
    equations.add(y, -x, 0, 0, 0, 1, ez, w);
  }
}

interface PairCounts {
  valid: number;
  projected: number;
  inliers: number;
  squares: number;
}

/** Sums the normal equations A x = b of one linearised step; x is to be subtracted. */
function accumulate(
  { frame, model, maxDistance }: ProjectiveIcpStage,
  m: Mat4,
  equations: NormalEquations,
  counts: PairCounts,
): void {
  equations.clear();
  const { width, height, fx, fy, cx, cy } = model.camera;
  const p = frame.points;
  const pn = frame.normals;
  const q = model.points;
  const qn = model.normals;
  const limit = maxDistance * maxDistance;
  const tukey = 0.5 * maxDistance;
  const { starts, squareness } = surfelsOf(frame);
  const valid = starts.length;
  let projected = 0;
  let inliers = 0;
  let squares = 0;
  for (let s = 0; s < valid; s++) {
    const i = starts[s];
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    if (z <= 0) continue;
    const u = (fx * x) / z + cx + 0.5;
    const v = (fy * y) / z + cy + 0.5;
    if (!(u >= 0 && v >= 0 && u < width && v < height)) continue;
    const k = 3 * ((v | 0) * width + (u | 0));
    const nx = qn[k];
    const ny = qn[k + 1];
    const nz = qn[k + 2];
    if (nx === 0 && ny === 0 && nz === 0) continue;
    projected++;
    const ex = x - q[k];
    const ey = y - q[k + 1];
    const ez = z - q[k + 2];
    if (ex * ex + ey * ey + ez * ez > limit) continue;
    const sx = m[0] * pn[i] + m[4] * pn[i + 1] + m[8] * pn[i + 2];
    const sy = m[1] * pn[i] + m[5] * pn[i + 1] + m[9] * pn[i + 2];
    const sz = m[2] * pn[i] + m[6] * pn[i + 1] + m[10] * pn[i + 2];
    if (nx * sx + ny * sy + nz * sz < MIN_NORMAL_COSINE) continue;
    const r = ex * nx + ey * ny + ez * nz;
    const t = r / tukey;
    if (t >= 1 || t <= -1) continue;
    inliers++;
    squares += r * r;
    // Squared cosine of the incidence: grazing places are noisy and displaced, in the frame as in the model.
    const w = (1 - t * t) * (1 - t * t) * squareness[s];
    equations.add(y * nz - z * ny, z * nx - x * nz, x * ny - y * nx, nx, ny, nz, r, w);
  }
  counts.valid = valid;
  counts.projected = projected;
  counts.inliers = inliers;
  counts.squares = squares;
}

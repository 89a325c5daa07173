import { fromTwist, identity, multiply, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import type { DepthLevel } from './depth-pyramid.js';

/** One round of levels, coarse before fine. */
export interface ProjectiveIcpStage {
  frame: DepthLevel;
  model: DepthLevel;
  iterations: number;
  /** Pairs further apart are ignored, mm. */
  maxDistance: number;
}

export interface ProjectiveIcpResult {
  /** modelFromFrame: moves the frame onto the model, in the frame of the sensor that the model was seen by. */
  modelFromFrame: Mat4;
  /** Share of the frame's points that fall on pixels where the model is known. */
  overlapRatio: number;
  /** Share of those that lie on the model with agreeing normals. */
  inlierRatio: number;
  /** Root mean square distance of the inliers to the model's planes before the last (small) correction, mm. */
  rms: number;
  /** Root mean square difference of local contrast; 0 without colours. */
  contrastRms: number;
  /** False if the system could not be solved. */
  wellPosed: boolean;
}

const MIN_NORMAL_COSINE = 0.7;
/** A difference of contrast of 1 weighs as much as this many mm; beyond the limit it does not count. */
const CONTRAST_SCALE = 3;
const CONTRAST_LIMIT = 0.4;

/**
 * Aligns a depth image with a model seen from about the same place: every point is paired with the model's point in
 * the pixel it falls on, then point to plane with Tukey weights. No search, so a pair costs a few operations.
 * Where both have colours, the contrast holds what the shape leaves free: a round jug turned about its axis.
 * O(pixels · iterations).
 *
 * Sources: G. Blais, M. Levine (1995), Registering multiview range data to create 3D computer objects (projective
 * pairing); R. Newcombe et al. (2011), KinectFusion; F. Steinbrücker, J. Sturm, D. Cremers
 * (2011), Real-time visual odometry from dense RGB-D images (brightness).
 */
export function alignProjectively(stages: ProjectiveIcpStage[], start: Mat4 = identity()): ProjectiveIcpResult {
  let pose = start;
  const A = new Float64Array(36);
  const b = new Float64Array(6);
  let wellPosed = true;
  const counts: PairCounts = { valid: 0, projected: 0, inliers: 0, squares: 0, compared: 0, contrastSquares: 0 };
  let sloped: DepthLevel | undefined;
  let slopes: Float32Array | undefined;
  for (const stage of stages) {
    // Stages may share a model level: its slopes are found once.
    if (stage.model !== sloped) slopes = stage.model.contrast && contrastSlopes(stage.model);
    sloped = stage.model;
    for (let k = 0; k < stage.iterations && wellPosed; k++) {
      accumulate(stage, slopes, pose, A, b, counts);
      if (counts.inliers < 60) {
        wellPosed = false;
        break;
      }
      // A little damping holds directions that the surface leaves free.
      for (let a = 0; a < 6; a++) A[7 * a] += (a < 3 ? 20 : 1e-3) + 1e-6 * A[7 * a];
      if (!solveCholeskyInPlace(A, b, 6)) wellPosed = false;
      else {
        pose = multiply(fromTwist(-b[0], -b[1], -b[2], -b[3], -b[4], -b[5]), pose);
        if (Math.hypot(b[0], b[1], b[2]) < 2e-5 && Math.hypot(b[3], b[4], b[5]) < 4e-3) break;
      }
    }
  }
  return {
    modelFromFrame: pose,
    overlapRatio: counts.valid > 0 ? counts.projected / counts.valid : 0,
    inlierRatio: counts.projected > 0 ? counts.inliers / counts.projected : 0,
    rms: counts.inliers > 0 ? Math.sqrt(counts.squares / counts.inliers) : Infinity,
    contrastRms: counts.compared > 0 ? Math.sqrt(counts.contrastSquares / counts.compared) : 0,
    wellPosed,
  };
}

interface PairCounts {
  valid: number;
  projected: number;
  inliers: number;
  squares: number;
  compared: number;
  contrastSquares: number;
}

/** Sums the normal equations A x = b of one linearised step; x is to be subtracted. */
function accumulate(
  { frame, model, maxDistance }: ProjectiveIcpStage,
  slopes: Float32Array | undefined,
  m: Mat4,
  A: Float64Array,
  b: Float64Array,
  counts: PairCounts,
): void {
  A.fill(0);
  b.fill(0);
  const { width, height, fx, fy, cx, cy } = model.camera;
  const p = frame.points;
  const pn = frame.normals;
  const q = model.points;
  const qn = model.normals;
  const limit = maxDistance * maxDistance;
  const tukey = 0.5 * maxDistance;
  let valid = 0;
  let projected = 0;
  let inliers = 0;
  let squares = 0;
  let compared = 0;
  let contrastSquares = 0;
  const frameContrast = frame.contrast;
  const modelContrast = model.contrast;
  for (let i = 0; i < p.length; i += 3) {
    if (pn[i + 2] === 0) continue;
    valid++;
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
    const w = (1 - t * t) * (1 - t * t);
    addRow(A, b, y * nz - z * ny, z * nx - x * nz, x * ny - y * nx, nx, ny, nz, r, w);

    if (!slopes || !frameContrast || !modelContrast) continue;
    const at = k / 3;
    const gx = slopes[2 * at];
    const gy = slopes[2 * at + 1];
    // The model's point need not lie in the middle of its pixel.
    const du = u - 0.5 - ((fx * q[k]) / q[k + 2] + cx);
    const dv = v - 0.5 - ((fy * q[k + 1]) / q[k + 2] + cy);
    const e = modelContrast[at] - frameContrast[i / 3] + gx * du + gy * dv;
    const h = e / CONTRAST_LIMIT;
    // Also false for NaN: unknown here, there or beside.
    if (!(h < 1 && h > -1)) continue;
    compared++;
    contrastSquares += e * e;
    const wl = (1 - h * h) * (1 - h * h) * CONTRAST_SCALE * CONTRAST_SCALE;
    const c0 = (gx * fx) / z;
    const c1 = (gy * fy) / z;
    const c2 = -(c0 * x + c1 * y) / z;
    addRow(A, b, y * c2 - z * c1, z * c0 - x * c2, x * c1 - y * c0, c0, c1, c2, e, wl);
  }
  counts.compared = compared;
  counts.contrastSquares = contrastSquares;
  counts.valid = valid;
  counts.projected = projected;
  counts.inliers = inliers;
  counts.squares = squares;
}

/** Adds one weighted row to the normal equations (lower half). */
function addRow(
  A: Float64Array,
  b: Float64Array,
  j0: number,
  j1: number,
  j2: number,
  j3: number,
  j4: number,
  j5: number,
  r: number,
  w: number,
): void {
  const wr = w * r;
  b[0] += wr * j0;
  b[1] += wr * j1;
  b[2] += wr * j2;
  b[3] += wr * j3;
  b[4] += wr * j4;
  b[5] += wr * j5;
  const w0 = w * j0;
  const w1 = w * j1;
  const w2 = w * j2;
  const w3 = w * j3;
  const w4 = w * j4;
  A[0] += w0 * j0;
  A[6] += w1 * j0;
  A[7] += w1 * j1;
  A[12] += w2 * j0;
  A[13] += w2 * j1;
  A[14] += w2 * j2;
  A[18] += w0 * j3;
  A[19] += w1 * j3;
  A[20] += w2 * j3;
  A[21] += w3 * j3;
  A[24] += w0 * j4;
  A[25] += w1 * j4;
  A[26] += w2 * j4;
  A[27] += w3 * j4;
  A[28] += w4 * j4;
  A[30] += w0 * j5;
  A[31] += w1 * j5;
  A[32] += w2 * j5;
  A[33] += w3 * j5;
  A[34] += w4 * j5;
  A[35] += w * j5 * j5;
}

/** Change of contrast per pixel along u and v; NaN beside unknown pixels and depth steps. */
function contrastSlopes(level: DepthLevel): Float32Array {
  const { width, height } = level.camera;
  const c = level.contrast!;
  const out = new Float32Array(2 * width * height).fill(NaN);
  for (let v = 1; v < height - 1; v++) {
    for (let u = 1; u < width - 1; u++) {
      const i = v * width + u;
      if (level.normals[3 * i + 2] === 0) continue;
      out[2 * i] = (c[i + 1] - c[i - 1]) / 2;
      out[2 * i + 1] = (c[i + width] - c[i - width]) / 2;
    }
  }
  return out;
}

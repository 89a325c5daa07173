import type { Mat4 } from '../math/mat4.js';
import { surfelsOf, type DepthLevel } from './depth-pyramid.js';
import type { NormalEquations } from './normal-equations.js';

/** A picture that a frame's contrast is compared with: an earlier frame, or the model. */
export interface ContrastReference {
  /** With contrast; its points tell where each pixel looks. */
  level: DepthLevel;
  /** From the frame of the model's sensor to this picture's. */
  fromModel: Mat4;
  /** A difference of contrast of 1 weighs as much as this many mm. */
  scale: number;
}

/** Differences beyond this do not count. */
const LIMIT = 0.4;
/** What lies before or behind the model by more than this share of its distance is another surface. */
const ELSEWHERE = 0.015;

const slopesOf = new WeakMap<DepthLevel, Float32Array>();

/**
 * Adds what the contrast knows of the pose to the normal equations: what the shape leaves free, as a round jug turned
 * about its axis, the paint holds. Points more than `maxDistance` before or behind the picture's own are hidden there.
 * O(pixels).
 *
 * Sources: F. Steinbrücker, J. Sturm, D. Cremers (2011), Real-time visual odometry from dense RGB-D images; T. Whelan
 * et al. (2013), Robust real-time visual odometry for dense RGB-D mapping (geometry against the model, colour against
 * an earlier frame, which is sharper than any fused colour).
 */
export function accumulateContrast(
  frame: DepthLevel,
  reference: ContrastReference,
  m: Mat4,
  maxDistance: number,
  equations: NormalEquations,
): void {
  const { level, fromModel: f, scale } = reference;
  const { contrast } = level;
  const own = frame.contrast;
  if (!contrast || !own) return;
  let slopes = slopesOf.get(level);
  if (!slopes) slopesOf.set(level, (slopes = contrastSlopes(level)));
  const { width, height, fx, fy, cx, cy } = level.camera;
  const p = frame.points;
  const q = level.points;
  const { starts } = surfelsOf(frame);
  for (let s = 0; s < starts.length; s++) {
    const i = starts[s];
    const here = own[i / 3];
    if (Number.isNaN(here)) continue;
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    const rz = f[2] * x + f[6] * y + f[10] * z + f[14];
    if (rz <= 0) continue;
    const rx = f[0] * x + f[4] * y + f[8] * z + f[12];
    const ry = f[1] * x + f[5] * y + f[9] * z + f[13];
    const u = (fx * rx) / rz + cx;
    const v = (fy * ry) / rz + cy;
    if (!(u >= 0 && v >= 0 && u < width - 1 && v < height - 1)) continue;
    const at = Math.floor(v + 0.5) * width + Math.floor(u + 0.5);
    const qz = q[3 * at + 2];
    if (qz === 0 || rz - qz > maxDistance || qz - rz > maxDistance) continue;
    const gx = slopes[2 * at];
    const gy = slopes[2 * at + 1];
    // The picture's point need not lie in the middle of its pixel.
    const du = u - ((fx * q[3 * at]) / qz + cx);
    const dv = v - ((fy * q[3 * at + 1]) / qz + cy);
    const e = contrast[at] - here + gx * du + gy * dv;
    const h = e / LIMIT;
    // Also false for NaN: unknown here, there or beside.
    if (!(h < 1 && h > -1)) continue;
    const w = (1 - h * h) * (1 - h * h) * scale * scale;
    const c0 = (gx * fx) / rz;
    const c1 = (gy * fy) / rz;
    const c2 = -(c0 * rx + c1 * ry) / rz;
    // The gradient turned into the frame that the pose is corrected in.
    const d0 = f[0] * c0 + f[1] * c1 + f[2] * c2;
    const d1 = f[4] * c0 + f[5] * c1 + f[6] * c2;
    const d2 = f[8] * c0 + f[9] * c1 + f[10] * c2;
    equations.add(y * d2 - z * d1, z * d0 - x * d2, x * d1 - y * d0, d0, d1, d2, e, w);
  }
}

/** How alike two contrast pictures are once a frame is placed. */
export interface ContrastAgreement {
  /** Correlation, -1 to 1; 0 where nothing is painted or could be compared. */
  correlation: number;
  /** Pixels compared. */
  compared: number;
}

/** Compares a placed frame's contrast with the model's, pixel by pixel. O(pixels). */
export function compareContrast(frame: DepthLevel, model: DepthLevel, m: Mat4): ContrastAgreement {
  const own = frame.contrast;
  const { contrast } = model;
  if (!own || !contrast) return { correlation: 0, compared: 0 };
  const { width, height, fx, fy, cx, cy } = model.camera;
  const p = frame.points;
  let compared = 0;
  let ab = 0;
  let aa = 0;
  let bb = 0;
  for (let i = 0; i < p.length; i += 3) {
    const a = own[i / 3];
    if (frame.normals[i + 2] === 0 || !(a < 1)) continue;
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    if (z <= 0) continue;
    const u = Math.floor((fx * x) / z + cx + 0.5);
    const v = Math.floor((fy * y) / z + cy + 0.5);
    if (!(u >= 0 && v >= 0 && u < width && v < height)) continue;
    const k = v * width + u;
    const b = contrast[k];
    const gap = z - model.points[3 * k + 2];
    if (!(b < 1) || gap > ELSEWHERE * z || gap < -ELSEWHERE * z) continue;
    compared++;
    ab += a * b;
    aa += a * a;
    bb += b * b;
  }
  return { correlation: compared > 200 ? ab / Math.sqrt(aa * bb || 1) : 0, compared };
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

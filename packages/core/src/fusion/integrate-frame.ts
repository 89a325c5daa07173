import type { DepthFrame } from '../geometry/depth-frame.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import { BLOCK, BLOCK_VOXELS, type SignedField } from './signed-field.js';

export interface IntegrateFrameOptions {
  /** Distances are kept up to this far from the surface, mm. */
  truncation: number;
  scanBit: number;
  /** Pixels to leave out (0) or use (1); all if absent. */
  mask?: Uint8Array;
}

/**
 * Adds one depth image to a field: voxels near the measured surface take the distance along the ray, shortened by the
 * cosine of the incidence so that it is the distance to the surface and not to the sensor. Weight falls with the
 * incidence and with the square of the distance, as the noise of depth sensors grows.
 *
 * Source: B. Curless, M. Levoy (1996), A volumetric method for building complex models from range images.
 * O(pixels + touched voxels).
 */
export function integrateFrame(
  field: SignedField,
  frame: DepthFrame,
  pieceFromScan: Mat4,
  o: IntegrateFrameOptions,
): void {
  const { width, height, fx, fy, cx, cy } = frame.camera;
  const depth = frame.depth;
  const pieceFromSensor = multiply(pieceFromScan, frame.scanFromSensor);
  const cosine = incidence(frame);
  const used = (i: number): boolean => depth[i] > 0 && cosine[i] > 0.12 && (!o.mask || o.mask[i] !== 0);

  // Which blocks does this frame touch?
  const touched = new Set<number>();
  const size = field.voxel * BLOCK;
  const m = pieceFromSensor;
  const steps = Math.max(1, Math.ceil((2 * o.truncation) / (0.5 * size)));
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      if (!used(i)) continue;
      const rx = (u - cx) / fx;
      const ry = (v - cy) / fy;
      const length = Math.sqrt(1 + rx * rx + ry * ry);
      for (let k = 0; k <= steps; k++) {
        const z = depth[i] + (o.truncation * (-1 + (2 * k) / steps)) / length;
        const x = rx * z;
        const y = ry * z;
        touched.add(
          field.block(
            Math.floor((m[0] * x + m[4] * y + m[8] * z + m[12]) / size),
            Math.floor((m[1] * x + m[5] * y + m[9] * z + m[13]) / size),
            Math.floor((m[2] * x + m[6] * y + m[10] * z + m[14]) / size),
          ),
        );
      }
    }
  }

  const s = invertRigid(pieceFromSensor);
  const bit = (1 << o.scanBit) >>> 0;
  const color = frame.color;
  const mean = meanDepth(depth);
  for (const slot of touched) {
    const bx = field.coords[3 * slot] * BLOCK;
    const by = field.coords[3 * slot + 1] * BLOCK;
    const bz = field.coords[3 * slot + 2] * BLOCK;
    for (let k = 0; k < BLOCK_VOXELS; k++) {
      const px = (bx + (k & 7)) * field.voxel;
      const py = (by + ((k >> 3) & 7)) * field.voxel;
      const pz = (bz + (k >> 6)) * field.voxel;
      const z = s[2] * px + s[6] * py + s[10] * pz + s[14];
      if (z <= 1) continue;
      const x = (s[0] * px + s[4] * py + s[8] * pz + s[12]) / z;
      const y = (s[1] * px + s[5] * py + s[9] * pz + s[13]) / z;
      const u = fx * x + cx;
      const v = fy * y + cy;
      const ui = Math.round(u);
      const vi = Math.round(v);
      if (ui < 1 || vi < 1 || ui >= width - 1 || vi >= height - 1) continue;
      const i = vi * width + ui;
      if (!used(i)) continue;
      const measured = interpolate(depth, width, u, v, depth[i], o.truncation);
      const along = (measured - z) * Math.sqrt(1 + x * x + y * y);
      if (along < -o.truncation / Math.max(0.35, cosine[i])) continue;
      const d = Math.max(-o.truncation, Math.min(o.truncation, along * cosine[i]));
      const scale = mean / measured;
      const w = cosine[i] * scale * scale;
      const at = slot * BLOCK_VOXELS + k;
      const before = field.weight[at];
      const total = before + w;
      field.distance[at] = (field.distance[at] * before + d * w) / total;
      field.weight[at] = total;
      if (d < field.voxel && d > -field.voxel) field.scans[at] |= bit;
      if (color && d < 2 * field.voxel && d > -2 * field.voxel) {
        const c = color.camera;
        const cu = Math.round(c.fx * x + c.cx);
        const cv = Math.round(c.fy * y + c.cy);
        if (cu >= 0 && cv >= 0 && cu < c.width && cv < c.height) {
          const cw = w * cosine[i] * cosine[i];
          const j = 3 * (cv * c.width + cu);
          field.color[3 * at] += cw * color.image.data[j];
          field.color[3 * at + 1] += cw * color.image.data[j + 1];
          field.color[3 * at + 2] += cw * color.image.data[j + 2];
          field.colorWeight[at] += cw;
        }
      }
    }
  }
}

/** Cosine between the ray and the surface normal at each pixel, from central differences; 0 at steps and borders. */
export function incidence(frame: DepthFrame): Float32Array {
  const { width, height, fx, fy, cx, cy } = frame.camera;
  const d = frame.depth;
  const out = new Float32Array(width * height);
  for (let v = 1; v < height - 1; v++) {
    for (let u = 1; u < width - 1; u++) {
      const i = v * width + u;
      const z = d[i];
      if (!(z > 0)) continue;
      const l = d[i - 1];
      const r = d[i + 1];
      const t = d[i - width];
      const b = d[i + width];
      if (!(l > 0 && r > 0 && t > 0 && b > 0)) continue;
      // Tangents along the image axes: d(ray · z)/du and /dv.
      const gu = (r - l) / 2;
      const gv = (b - t) / 2;
      const rx = (u - cx) / fx;
      const ry = (v - cy) / fy;
      const ax = z / fx + rx * gu;
      const ay = ry * gu;
      const bx = rx * gv;
      const by = z / fy + ry * gv;
      const nx = ay * gv - gu * by;
      const ny = gu * bx - ax * gv;
      const nz = ax * by - ay * bx;
      const c = (nx * rx + ny * ry + nz) / (Math.hypot(nx, ny, nz) * Math.hypot(rx, ry, 1));
      out[i] = Math.abs(c);
    }
  }
  return out;
}

/** Depth between pixels, bilinear where the four agree within the truncation, else the nearest pixel's. */
function interpolate(d: Float32Array, width: number, u: number, v: number, nearest: number, tolerance: number): number {
  const u0 = Math.floor(u);
  const v0 = Math.floor(v);
  const i = v0 * width + u0;
  const a = d[i];
  const b = d[i + 1];
  const c = d[i + width];
  const e = d[i + width + 1];
  if (!(a > 0 && b > 0 && c > 0 && e > 0)) return nearest;
  const low = Math.min(a, b, c, e);
  const high = Math.max(a, b, c, e);
  if (high - low > tolerance) return nearest;
  const s = u - u0;
  const t = v - v0;
  return (a * (1 - s) + b * s) * (1 - t) + (c * (1 - s) + e * s) * t;
}

function meanDepth(depth: Float32Array): number {
  let sum = 0;
  let n = 0;
  for (let i = 0; i < depth.length; i++) {
    if (depth[i] > 0) {
      sum += depth[i];
      n++;
    }
  }
  return n > 0 ? sum / n : 1;
}

import type { DepthFrame } from '../geometry/depth-frame.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import { BLOCK, BLOCK_VOXELS, type SignedField } from './signed-field.js';

export interface IntegrateFrameOptions {
  /** Distances are kept up to this far from the surface, mm. */
  truncation: number;
  /** Number of the scan among those of the field, for provenance. */
  scan: number;
  /** Pixels to leave out (0) or use (1); all if absent. */
  mask?: Uint8Array;
  /**
   * Weight falls behind the surface, to nothing at the truncation: what lies there is inferred, not seen, and disagrees
   * between views where the surface is curved or thin (E. Bylow et al., 2013, Real-time camera tracking and 3D
   * reconstruction using signed distance functions).
   */
  fadeBehind?: boolean;
}

/**
 * Adds one depth image to a field: voxels near the measured surface take the distance along the ray, shortened by the
 * cosine of the incidence so that it is the distance to the surface and not to the sensor. Weight falls with the
 * incidence and with the square of the distance, as the noise of depth sensors grows.
 *
 * Source: B. Curless, M. Levoy (1996), A volumetric method for building complex models from range images.
 * @returns slots of the blocks that may have changed
 * O(pixels + touched voxels).
 */
export function integrateFrame(
  field: SignedField,
  frame: DepthFrame,
  pieceFromScan: Mat4,
  o: IntegrateFrameOptions,
): Uint32Array {
  const { width, height, fx, fy, cx, cy } = frame.camera;
  const depth = frame.depth;
  const pieceFromSensor = multiply(pieceFromScan, frame.scanFromSensor);
  const cosine = incidence(frame);
  const { mask } = o;
  // From here on a cosine of 0 means: not to be used.
  for (let i = 0; i < cosine.length; i++) if (!(cosine[i] > 0.12) || (mask && mask[i] === 0)) cosine[i] = 0;
  const touched = touchedBlocks(field, frame, cosine, pieceFromSensor, o.truncation);

  const s = invertRigid(pieceFromSensor);
  const { truncation } = o;
  const voxel = field.voxel;
  const fade = o.fadeBehind === true;
  const faded = 1.02 * truncation;
  const bit = (1 << (o.scan & 31)) >>> 0;
  const word = o.scan >> 5;
  const mean = meanDepth(depth);
  const picture = frame.color && { camera: frame.color.camera, data: frame.color.image.data };
  const { distance, weight, scans, scanWords, color, colorWeight, coords } = field;
  const stepX = s[0] * voxel;
  const stepY = s[1] * voxel;
  const stepZ = s[2] * voxel;
  for (let t = 0; t < touched.length; t++) {
    const slot = touched[t];
    const px = coords[3 * slot] * BLOCK * voxel;
    for (let row = 0; row < BLOCK * BLOCK; row++) {
      const py = (coords[3 * slot + 1] * BLOCK + (row & 7)) * voxel;
      const pz = (coords[3 * slot + 2] * BLOCK + (row >> 3)) * voxel;
      let sx = s[0] * px + s[4] * py + s[8] * pz + s[12];
      let sy = s[1] * px + s[5] * py + s[9] * pz + s[13];
      let sz = s[2] * px + s[6] * py + s[10] * pz + s[14];
      let at = slot * BLOCK_VOXELS + row * BLOCK;
      for (let k = 0; k < BLOCK; k++, at++, sx += stepX, sy += stepY, sz += stepZ) {
        if (sz <= 1) continue;
        const x = sx / sz;
        const y = sy / sz;
        const u = fx * x + cx;
        const v = fy * y + cy;
        if (!(u >= 0.5 && v >= 0.5 && u < width - 1.5 && v < height - 1.5)) continue;
        const i = ((v + 0.5) | 0) * width + ((u + 0.5) | 0);
        const c = cosine[i];
        if (c === 0) continue;
        const behind = depth[i] - sz;
        // Far behind the surface: nothing to learn here, and no need to look more closely.
        const deepest = -truncation / (c > 0.35 ? c : 0.35);
        if (behind < deepest - truncation) continue;
        const before = weight[at];
        const farInFront = behind * c >= 2 * truncation;
        // Empty and never thought otherwise: nothing to learn either.
        if (farInFront && before === 0) continue;
        let d = truncation;
        let measured = depth[i];
        // Far in front the distance is the truncation, whatever the neighbouring pixels say.
        if (!farInFront) {
          measured = interpolate(depth, width, u, v, measured, truncation);
          const along = (measured - sz) * Math.sqrt(1 + x * x + y * y);
          if (along < deepest) continue;
          d = along * c;
          if (d > truncation) d = truncation;
          else if (d < -truncation) d = -truncation;
        }
        const scale = mean / measured;
        let w = c * scale * scale;
        if (fade && d < 0) w *= 1 + d / faded;
        const total = before + w;
        distance[at] = (distance[at] * before + d * w) / total;
        weight[at] = total;
        if (d < voxel && d > -voxel) scans[at * scanWords + word] |= bit;
        if (picture && d < 2 * voxel && d > -2 * voxel) {
          const camera = picture.camera;
          const cu = camera.fx * x + camera.cx + 0.5;
          const cv = camera.fy * y + camera.cy + 0.5;
          if (cu >= 0 && cv >= 0 && cu < camera.width && cv < camera.height) {
            const cw = w * c * c;
            const j = 3 * ((cv | 0) * camera.width + (cu | 0));
            color[3 * at] += cw * picture.data[j];
            color[3 * at + 1] += cw * picture.data[j + 1];
            color[3 * at + 2] += cw * picture.data[j + 2];
            colorWeight[at] += cw;
          }
        }
      }
    }
  }
  return touched;
}

/** Slots of the blocks within the truncation of the measured surface, made where need be. Each is listed once. */
function touchedBlocks(
  field: SignedField,
  frame: DepthFrame,
  cosine: Float32Array,
  pieceFromSensor: Mat4,
  truncation: number,
): Uint32Array {
  const { width, height, fx, fy, cx, cy } = frame.camera;
  const depth = frame.depth;
  const m = pieceFromSensor;
  const size = field.voxel * BLOCK;
  const steps = Math.max(1, Math.ceil((2 * truncation) / (0.5 * size)));
  // Neighbouring pixels see the same blocks: only some are followed, each for all blocks around it.
  const mean = meanDepth(depth);
  const stride = Math.max(1, Math.floor((0.15 * size * fx) / mean));
  const margin = stride > 1 ? (1.5 * stride * mean) / fx : 0;
  const slots: number[] = [];
  const seen = new VoxelTable(1024);
  const low = new Int32Array(3);
  const high = new Int32Array(3);
  const last = new Int32Array(6 * (steps + 1)).fill(0x7fffffff);
  for (let v = 0; v < height; v += stride) {
    for (let u = 0; u < width; u += stride) {
      const i = v * width + u;
      if (cosine[i] === 0) continue;
      const rx = (u - cx) / fx;
      const ry = (v - cy) / fy;
      const reach = truncation / Math.sqrt(1 + rx * rx + ry * ry);
      for (let k = 0; k <= steps; k++) {
        const z = depth[i] + reach * (-1 + (2 * k) / steps);
        const x = rx * z;
        const y = ry * z;
        let same = true;
        for (let a = 0; a < 3; a++) {
          const p = m[a] * x + m[4 + a] * y + m[8 + a] * z + m[12 + a];
          low[a] = Math.floor((p - margin) / size);
          high[a] = Math.floor((p + margin) / size);
          if (low[a] !== last[6 * k + a] || high[a] !== last[6 * k + 3 + a]) same = false;
          last[6 * k + a] = low[a];
          last[6 * k + 3 + a] = high[a];
        }
        if (same) continue;
        for (let bz = low[2]; bz <= high[2]; bz++)
          for (let by = low[1]; by <= high[1]; by++)
            for (let bx = low[0]; bx <= high[0]; bx++)
              if (seen.insert(bx, by, bz) === slots.length) slots.push(field.block(bx, by, bz));
      }
    }
  }
  return Uint32Array.from(slots);
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
      const c = (nx * rx + ny * ry + nz) / Math.sqrt((nx * nx + ny * ny + nz * nz) * (rx * rx + ry * ry + 1));
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
  const low1 = a < b ? a : b;
  const low2 = c < e ? c : e;
  const high1 = a > b ? a : b;
  const high2 = c > e ? c : e;
  if ((high1 > high2 ? high1 : high2) - (low1 < low2 ? low1 : low2) > tolerance) return nearest;
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

import type { Intrinsics } from '../geometry/depth-frame.js';
import { BLOCK, BLOCK_VOXELS, type SignedField } from '../fusion/signed-field.js';
import { invertRigid, type Mat4 } from '../math/mat4.js';

const TILE = 8;

/**
 * What a sensor would see of a field, as depth (mm, 0 = nothing) and brightness (0–1, -1 = unknown) a pixel: the first crossing from outside to inside along each pixel's ray. Rays run only
 * between the nearest and the farthest block of their tile of 8×8 pixels.
 * O(blocks + pixels · steps).
 *
 * Sources: B. Curless, M. Levoy (1996); R. Newcombe et al. (2011), KinectFusion: real-time dense surface mapping and
 * tracking (ray casting as the model that is tracked against); the tiles' ranges after O. Kähler et al. (2015), Very
 * high frame rate volumetric integration of depth images on mobile devices.
 */
export function raycastField(
  field: SignedField,
  camera: Intrinsics,
  pieceFromSensor: Mat4,
): { depth: Float32Array; light: Float32Array } {
  const { width, height, fx, fy, cx, cy } = camera;
  const depth = new Float32Array(width * height);
  const tilesX = Math.ceil(width / TILE);
  const range = tileRanges(field, camera, pieceFromSensor);
  const m = pieceFromSensor;
  const { voxel, table, distance, weight } = field;
  const scale = 1 / voxel;
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const tile = 2 * (((v / TILE) | 0) * tilesX + ((u / TILE) | 0));
      const end = range[tile + 1];
      if (end === 0) continue;
      const rx = (u - cx) / fx;
      const ry = (v - cy) / fy;
      const perLength = 1 / Math.sqrt(1 + rx * rx + ry * ry);
      // The ray in voxel coordinates: origin + z · direction.
      const dx = (m[0] * rx + m[4] * ry + m[8]) * scale;
      const dy = (m[1] * rx + m[5] * ry + m[9]) * scale;
      const dz = (m[2] * rx + m[6] * ry + m[10]) * scale;
      const ox = m[12] * scale;
      const oy = m[13] * scale;
      const oz = m[14] * scale;
      let z = range[tile];
      let before = 0;
      let zBefore = 0;
      let slot = -1;
      let bx = 0x7fffffff;
      let by = 0;
      let bz = 0;
      while (z < end) {
        const x = Math.floor(ox + z * dx + 0.5);
        const y = Math.floor(oy + z * dy + 0.5);
        const w = Math.floor(oz + z * dz + 0.5);
        if (x >> 3 !== bx || y >> 3 !== by || w >> 3 !== bz) {
          bx = x >> 3;
          by = y >> 3;
          bz = w >> 3;
          slot = table.find(bx, by, bz);
        }
        if (slot < 0) {
          before = 0;
          z += 0.5 * BLOCK * voxel * perLength;
          continue;
        }
        const at = slot * BLOCK_VOXELS + (x & 7) + ((y & 7) << 3) + ((w & 7) << 6);
        if (weight[at] === 0) {
          before = 0;
          z += voxel * perLength;
          continue;
        }
        const d = distance[at];
        if (d <= 0) {
          if (before > 0) depth[v * width + u] = refine(field, ox, oy, oz, dx, dy, dz, zBefore, z, before, d);
          break;
        }
        before = d;
        zBefore = z;
        z += Math.max(0.6 * voxel, 0.8 * d) * perLength;
      }
    }
  }
  return { depth, light: lightOfHits(field, camera, depth, m) };
}

/** Brightness of the field where the rays hit it. */
function lightOfHits(field: SignedField, camera: Intrinsics, depth: Float32Array, m: Mat4): Float32Array {
  const { width, fx, fy, cx, cy } = camera;
  const out = new Float32Array(depth.length).fill(-1);
  const scale = 1 / field.voxel;
  for (let i = 0; i < depth.length; i++) {
    const z = depth[i];
    if (z === 0) continue;
    const x = (((i % width) - cx) / fx) * z;
    const y = ((Math.floor(i / width) - cy) / fy) * z;
    out[i] = trilinearLight(
      field,
      (m[0] * x + m[4] * y + m[8] * z + m[12]) * scale,
      (m[1] * x + m[5] * y + m[9] * z + m[13]) * scale,
      (m[2] * x + m[6] * y + m[10] * z + m[14]) * scale,
    );
  }
  return out;
}

/** Brightness between voxels, 0–1, from those of the eight that have a colour; -1 if none has. */
function trilinearLight(field: SignedField, x: number, y: number, z: number): number {
  findCorners(field, x, y, z);
  const { color, colorWeight } = field;
  let sum = 0;
  let total = 0;
  for (let k = 0; k < 8; k++) {
    const at = CORNER_AT[k];
    if (at < 0 || colorWeight[at] === 0) continue;
    sum +=
      (CORNER_WEIGHT[k] * (0.3 * color[3 * at] + 0.59 * color[3 * at + 1] + 0.11 * color[3 * at + 2])) /
      colorWeight[at];
    total += CORNER_WEIGHT[k];
  }
  return total > 0.2 ? sum / (255 * total) : -1;
}

/** The crossing between two depths, from trilinear values where they are known. */
function refine(
  field: SignedField,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  z0: number,
  z1: number,
  d0: number,
  d1: number,
): number {
  let a = trilinear(field, ox + z0 * dx, oy + z0 * dy, oz + z0 * dz);
  let b = trilinear(field, ox + z1 * dx, oy + z1 * dy, oz + z1 * dz);
  if (!(a > 0) || !(b < 0)) {
    a = d0;
    b = d1;
  }
  const first = z0 + ((z1 - z0) * a) / (a - b);
  const c = trilinear(field, ox + first * dx, oy + first * dy, oz + first * dz);
  if (Number.isNaN(c)) return first;
  return c > 0 ? first + ((z1 - first) * c) / (c - b) : z0 + ((first - z0) * a) / (a - c);
}

/** Distance between voxels (voxel coordinates); NaN if one of the eight is unknown. */
function trilinear(field: SignedField, x: number, y: number, z: number): number {
  findCorners(field, x, y, z);
  let sum = 0;
  for (let k = 0; k < 8; k++) {
    const at = CORNER_AT[k];
    if (at < 0 || field.weight[at] === 0) return NaN;
    sum += CORNER_WEIGHT[k] * field.distance[at];
  }
  return sum;
}

/** The eight voxels around the place last asked for: their index in the field's arrays (-1 = no block) and their share. */
const CORNER_AT = new Int32Array(8);
const CORNER_WEIGHT = new Float64Array(8);

function findCorners(field: SignedField, x: number, y: number, z: number): void {
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const z0 = Math.floor(z);
  const s = x - x0;
  const t = y - y0;
  const r = z - z0;
  let slot = -1;
  let last = -1;
  for (let k = 0; k < 8; k++) {
    const vx = x0 + (k & 1);
    const vy = y0 + ((k >> 1) & 1);
    const vz = z0 + (k >> 2);
    const block = ((vx >> 3) - (x0 >> 3)) | (((vy >> 3) - (y0 >> 3)) << 1) | (((vz >> 3) - (z0 >> 3)) << 2);
    if (block !== last) {
      last = block;
      slot = field.table.find(vx >> 3, vy >> 3, vz >> 3);
    }
    CORNER_AT[k] = slot < 0 ? -1 : slot * BLOCK_VOXELS + (vx & 7) + ((vy & 7) << 3) + ((vz & 7) << 6);
    CORNER_WEIGHT[k] = (k & 1 ? s : 1 - s) * (k & 2 ? t : 1 - t) * (k & 4 ? r : 1 - r);
  }
}

/** Nearest and farthest depth of the blocks in each tile; 0, 0 where there is none. */
function tileRanges(field: SignedField, camera: Intrinsics, pieceFromSensor: Mat4): Float32Array {
  const { width, height, fx, fy, cx, cy } = camera;
  const tilesX = Math.ceil(width / TILE);
  const tilesY = Math.ceil(height / TILE);
  const out = new Float32Array(2 * tilesX * tilesY);
  const s = invertRigid(pieceFromSensor);
  const size = field.voxel * BLOCK;
  const radius = (Math.sqrt(3) / 2) * size;
  for (let b = 0; b < field.blockCount; b++) {
    const px = (field.coords[3 * b] + 0.5) * size;
    const py = (field.coords[3 * b + 1] + 0.5) * size;
    const pz = (field.coords[3 * b + 2] + 0.5) * size;
    const z = s[2] * px + s[6] * py + s[10] * pz + s[14];
    if (z < 2 * radius) continue;
    const x = s[0] * px + s[4] * py + s[8] * pz + s[12];
    const y = s[1] * px + s[5] * py + s[9] * pz + s[13];
    const u = (fx * x) / z + cx;
    const v = (fy * y) / z + cy;
    const ru = (fx * radius) / (z - radius);
    const rv = (fy * radius) / (z - radius);
    const u0 = Math.max(0, Math.floor((u - ru) / TILE));
    const u1 = Math.min(tilesX - 1, Math.floor((u + ru) / TILE));
    const v0 = Math.max(0, Math.floor((v - rv) / TILE));
    const v1 = Math.min(tilesY - 1, Math.floor((v + rv) / TILE));
    for (let tv = v0; tv <= v1; tv++) {
      for (let tu = u0; tu <= u1; tu++) {
        const at = 2 * (tv * tilesX + tu);
        if (out[at] === 0 || z - radius < out[at]) out[at] = z - radius;
        if (z + radius > out[at + 1]) out[at + 1] = z + radius;
      }
    }
  }
  return out;
}

import type { PointCloud } from '../geometry/point-cloud.js';
import { transformCloud } from '../geometry/point-cloud.js';
import type { Mat4, Vec3 } from '../math/mat4.js';
import { transformPoint } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { BLOCK, BLOCK_VOXELS, type SignedField } from './signed-field.js';

export interface IntegratePointsOptions {
  /** How far from a point, along its surface, it still counts, mm. */
  support: number;
  /** How far from the surface, along the normal, distances are kept, mm. */
  truncation: number;
  /** Number of the scan among those of the field, for provenance. */
  scan: number;
}

/**
 * Adds oriented points to a field: every voxel near a point takes the distance to the point's tangent plane, weighted
 * by how close the voxel lies, how squarely the sensor saw the point, and how near the plane is.
 *
 * Sources: H. Hoppe et al. (1992), Surface reconstruction from unorganized points (tangent planes); R. Kolluri (2008),
 * Provably good moving least squares (weighted mean of plane distances). O(points · support² · truncation / voxel³).
 */
export function integratePoints(
  field: SignedField,
  cloud: PointCloud,
  pieceFromScan: Mat4,
  viewpoints: Vec3[],
  o: IntegratePointsOptions,
  ctx: RunContext,
): void {
  const moved = transformCloud(pieceFromScan, cloud);
  const eyes = viewpoints.map((v) => transformPoint(pieceFromScan, v[0], v[1], v[2]));
  const p = moved.positions;
  const n = moved.normals!;
  const voxel = field.voxel;
  const reach = Math.hypot(o.support, o.truncation);
  const s2 = o.support * o.support;
  const bit = (1 << (o.scan & 31)) >>> 0;
  const { scanWords } = field;
  const word = o.scan >> 5;
  const count = p.length / 3;
  let lastX = NaN;
  let lastY = NaN;
  let lastZ = NaN;
  let slot = 0;
  for (let i = 0; i < count; i++) {
    if ((i & 4095) === 0) ctx.checkpoint(i / count);
    const px = p[3 * i];
    const py = p[3 * i + 1];
    const pz = p[3 * i + 2];
    const nx = n[3 * i];
    const ny = n[3 * i + 1];
    const nz = n[3 * i + 2];
    let facing = 1;
    if (eyes.length > 0) {
      facing = 0;
      for (const e of eyes) {
        const dx = e[0] - px;
        const dy = e[1] - py;
        const dz = e[2] - pz;
        facing = Math.max(facing, (dx * nx + dy * ny + dz * nz) / Math.hypot(dx, dy, dz));
      }
      if (facing < 0.1) continue;
    }
    // The box of voxels that the disc of tangent plane, thickened by the truncation, can touch.
    const ex = Math.min(reach, o.truncation * Math.abs(nx) + o.support * Math.sqrt(Math.max(0, 1 - nx * nx)));
    const ey = Math.min(reach, o.truncation * Math.abs(ny) + o.support * Math.sqrt(Math.max(0, 1 - ny * ny)));
    const ez = Math.min(reach, o.truncation * Math.abs(nz) + o.support * Math.sqrt(Math.max(0, 1 - nz * nz)));
    const x0 = Math.ceil((px - ex) / voxel);
    const x1 = Math.floor((px + ex) / voxel);
    const y0 = Math.ceil((py - ey) / voxel);
    const y1 = Math.floor((py + ey) / voxel);
    const z0 = Math.ceil((pz - ez) / voxel);
    const z1 = Math.floor((pz + ez) / voxel);
    for (let z = z0; z <= z1; z++) {
      const dz = z * voxel - pz;
      for (let y = y0; y <= y1; y++) {
        const dy = y * voxel - py;
        for (let x = x0; x <= x1; x++) {
          const dx = x * voxel - px;
          const h = dx * nx + dy * ny + dz * nz;
          if (h > o.truncation || h < -o.truncation) continue;
          const t2 = dx * dx + dy * dy + dz * dz - h * h;
          if (t2 >= s2) continue;
          const a = 1 - t2 / s2;
          const b = 1 - (0.9 * h * h) / (o.truncation * o.truncation);
          const w = facing * facing * a * a * b;
          const bx = x >> 3;
          const by = y >> 3;
          const bz = z >> 3;
          if (bx !== lastX || by !== lastY || bz !== lastZ) {
            slot = field.block(bx, by, bz) * BLOCK_VOXELS;
            lastX = bx;
            lastY = by;
            lastZ = bz;
          }
          const v = slot + (x & 7) + BLOCK * ((y & 7) + BLOCK * (z & 7));
          const before = field.weight[v];
          const total = before + w;
          field.distance[v] = (field.distance[v] * before + h * w) / total;
          field.weight[v] = total;
          if (h < voxel && h > -voxel && a > 0.3) field.scans[v * scanWords + word] |= bit;
          if (moved.colors && h < 1.5 * voxel && h > -1.5 * voxel) {
            const cw = w * facing * facing;
            field.color[3 * v] += cw * moved.colors[3 * i];
            field.color[3 * v + 1] += cw * moved.colors[3 * i + 1];
            field.color[3 * v + 2] += cw * moved.colors[3 * i + 2];
            field.colorWeight[v] += cw;
          }
        }
      }
    }
  }
}

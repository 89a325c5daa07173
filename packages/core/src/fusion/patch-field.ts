import type { RunContext } from '../runtime/run-context.js';
import { BLOCK, BLOCK_VOXELS, SignedField } from './signed-field.js';
import { BEYOND, BLENDING, isBeyondEdge, PATCH, SIGMA, type SurfacePatches } from './surface-patches.js';

/** Distances are kept so many voxels deep on both sides. */
const DEEP = 2;

/** Where a patch curves away from its plane by this share of a voxel, it counts half: its curvature is the least sure of it. */
const SAG = 0.2;

/** How far around its centre a patch tells distances: it lies at most about one cell from any place between patches; beyond rims it carries nothing. */
export const patchReach = (cell: number, voxel: number): number => Math.max(0.7 * BLENDING * cell, 1.8 * voxel);

/**
 * Signed distances to the patches near a surface: every voxel within reach of a patch takes the weighted mean of the distances
 * to the patches around it. The nearest count most, so that the far side of a thin wall does not pull the near one.
 *
 * Source: Y. Ohtake, A. Belyaev, M. Alexa, G. Turk, H.-P. Seidel (2003), Multi-level partition of unity implicits.
 * O(patches · voxels in reach).
 */
export function patchField(patches: SurfacePatches, voxel: number, ctx: RunContext): SignedField {
  const field = new SignedField(voxel, undefined, 0);
  const { data, count } = patches;
  const deep = DEEP * voxel;
  const around = patchReach(patches.cell, voxel);
  const reach = Math.hypot(around, deep);
  const steep = 1 / (SAG * voxel) ** 2;
  const soft = (0.3 * voxel) ** 2;
  let lastX = NaN;
  let lastY = NaN;
  let lastZ = NaN;
  let slot = 0;
  for (let k = 0; k < count; k++) {
    if ((k & 1023) === 0) ctx.checkpoint(k / count);
    const o = PATCH * k;
    const cx = data[o];
    const cy = data[o + 1];
    const cz = data[o + 2];
    const nx = data[o + 3];
    const ny = data[o + 4];
    const nz = data[o + 5];
    const c0 = data[o + 12];
    const c1 = data[o + 13];
    const c2 = data[o + 14];
    const c3 = data[o + 15];
    const c4 = data[o + 16];
    const c5 = data[o + 17];
    const sure = 1 / (data[o + SIGMA] * data[o + SIGMA] + 1e-12);
    const ex = Math.min(reach, 2 * deep * Math.abs(nx) + around * Math.sqrt(Math.max(0, 1 - nx * nx)));
    const ey = Math.min(reach, 2 * deep * Math.abs(ny) + around * Math.sqrt(Math.max(0, 1 - ny * ny)));
    const ez = Math.min(reach, 2 * deep * Math.abs(nz) + around * Math.sqrt(Math.max(0, 1 - nz * nz)));
    const x1 = Math.floor((cx + ex) / voxel);
    const y1 = Math.floor((cy + ey) / voxel);
    const z1 = Math.floor((cz + ez) / voxel);
    for (let z = Math.ceil((cz - ez) / voxel); z <= z1; z++) {
      const dz = z * voxel - cz;
      for (let y = Math.ceil((cy - ey) / voxel); y <= y1; y++) {
        const dy = y * voxel - cy;
        for (let x = Math.ceil((cx - ex) / voxel); x <= x1; x++) {
          const dx = x * voxel - cx;
          const h = dx * nx + dy * ny + dz * nz;
          const aside = (dx * dx + dy * dy + dz * dz - h * h) / (around * around);
          if (aside >= 1) continue;
          const s = dx * data[o + 6] + dy * data[o + 7] + dz * data[o + 8];
          const t = dx * data[o + 9] + dy * data[o + 10] + dz * data[o + 11];
          const slopeS = c1 + 2 * c3 * s + c4 * t;
          const slopeT = c2 + c4 * s + 2 * c5 * t;
          const sag = c3 * s * s + c4 * s * t + c5 * t * t;
          const d = (h - (c0 + c1 * s + c2 * t + sag)) / Math.sqrt(1 + slopeS * slopeS + slopeT * slopeT);
          if (d > deep || d < -deep) continue;
          const beyond = patches.partners && isBeyondEdge(patches, k, d, x * voxel, y * voxel, z * voxel);
          const w =
            ((1 - aside) * (1 - aside) * sure * (beyond ? BEYOND : 1)) / ((d * d + soft) * (1 + sag * sag * steep));
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
          const total = field.weight[v] + w;
          field.distance[v] += ((d - field.distance[v]) * w) / total;
          field.weight[v] = total;
        }
      }
    }
  }
  return field;
}

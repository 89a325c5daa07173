import { BLOCK_VOXELS, BLOCK, type SignedField } from '../fusion/signed-field.js';

/** Splats of one block of the live model: where its surface runs. */
export interface SplatPatch {
  block: number;
  /** 3n, mm. */
  positions: Float32Array;
  /** 3n, unit, outwards, in steps of 1/127. */
  normals: Int8Array;
  /** 3n, sRGB. */
  colors: Uint8Array;
}

/**
 * Follows a growing field: hands out the splats of the blocks that changed since they were last asked for. A splat lies
 * where the distance changes its sign between a voxel and its neighbour along an axis; its normal is the gradient.
 * O(voxels of changed blocks).
 */
export class LiveSurface {
  private readonly seenWeight = new Map<number, number>();

  constructor(
    private readonly field: SignedField,
    /** Voxels lighter than this show nothing. */
    private readonly minWeight = 1.5,
  ) {}

  /** Splats of changed blocks, at most `limit` blocks at a time; the rest comes with the next call. */
  changes(limit = 400): SplatPatch[] {
    const { field } = this;
    const out: SplatPatch[] = [];
    for (let slot = 0; slot < field.blockCount && out.length < limit; slot++) {
      const weight = this.weightOf(slot);
      const before = this.seenWeight.get(slot) ?? 0;
      // A block is shown again once it has grown by a tenth.
      if (weight <= 1.1 * before) continue;
      this.seenWeight.set(slot, weight);
      out.push(splatsOf(field, slot, this.minWeight));
    }
    return out;
  }

  private weightOf(slot: number): number {
    const { weight } = this.field;
    let sum = 0;
    // A few voxels stand for the block: all of them are visited only if it is to be shown.
    for (let k = 5; k < BLOCK_VOXELS; k += 19) sum += weight[slot * BLOCK_VOXELS + k];
    return sum;
  }
}

const found = { positions: [] as number[], normals: [] as number[], colors: [] as number[] };

function splatsOf(field: SignedField, slot: number, minWeight: number): SplatPatch {
  const { distance, weight, color, colorWeight, coords, voxel } = field;
  const { positions, normals, colors } = found;
  positions.length = normals.length = colors.length = 0;
  const base = slot * BLOCK_VOXELS;
  for (let i = 0; i < BLOCK_VOXELS; i++) {
    const at = base + i;
    const d = distance[at];
    if (weight[at] < minWeight || d > voxel || d < -voxel) continue;
    const x = i & 7;
    const y = (i >> 3) & 7;
    const z = i >> 6;
    const gx = slope(distance, weight, at, x, 1);
    const gy = slope(distance, weight, at, y, BLOCK);
    const gz = slope(distance, weight, at, z, BLOCK * BLOCK);
    const l = Math.sqrt(gx * gx + gy * gy + gz * gz);
    if (!(l > 0.2 * voxel)) continue;
    // One splat a crossing: the voxel nearest to the surface along the normal's main axis.
    const ax = Math.abs(gx);
    const ay = Math.abs(gy);
    const az = Math.abs(gz);
    const main = Math.max(ax, ay, az);
    if (Math.abs(d) > 0.5 * main) continue;
    const step = d / (l * l);
    positions.push(
      (coords[3 * slot] * BLOCK + x - step * gx) * voxel,
      (coords[3 * slot + 1] * BLOCK + y - step * gy) * voxel,
      (coords[3 * slot + 2] * BLOCK + z - step * gz) * voxel,
    );
    normals.push((127 * gx) / l, (127 * gy) / l, (127 * gz) / l);
    const w = colorWeight[at];
    if (w > 0) colors.push(color[3 * at] / w, color[3 * at + 1] / w, color[3 * at + 2] / w);
    else colors.push(150, 142, 128);
  }
  return {
    block: slot,
    positions: Float32Array.from(positions),
    normals: Int8Array.from(normals),
    colors: Uint8Array.from(colors),
  };
}

/** Change of the distance per voxel along an axis, from the neighbours inside the block that are known. */
function slope(distance: Float32Array, weight: Float32Array, at: number, k: number, stride: number): number {
  const low = k > 0 && weight[at - stride] > 0;
  const high = k < 7 && weight[at + stride] > 0;
  if (low && high) return (distance[at + stride] - distance[at - stride]) / 2;
  if (high) return distance[at + stride] - distance[at];
  if (low) return distance[at] - distance[at - stride];
  return 0;
}

import { BLOCK, BLOCK_VOXELS, type SignedField } from '../fusion/signed-field.js';

/** Room for splats per block; a flat surface through 8³ voxels needs 64, a crumpled one seldom more than this. */
export const SPLATS_PER_BLOCK = 144;

/**
 * The surface of a growing field as splats: per block up to `SPLATS_PER_BLOCK` points on the zero surface with normals,
 * brightness and colour. Refreshed block by block as the field grows; the live model is tracked against and drawn
 * through these.
 *
 * Source of the idea to track against projected surface elements: M. Keller et al. (2013), Real-time 3D reconstruction
 * in dynamic scenes using point-based fusion. The elements themselves come from the field here.
 */
export class ModelSplats {
  count = new Uint16Array(0);
  /** 3 per splat, mm. Splat k of block b is number b · SPLATS_PER_BLOCK + k. */
  positions = new Float32Array(0);
  /** 3 per splat, unit, outwards. */
  normals = new Float32Array(0);
  /** Brightness 0–1, -1 where no colour is known. */
  light = new Float32Array(0);
  /** sRGB, 3 per splat. */
  colors = new Uint8Array(0);

  constructor(
    readonly field: SignedField,
    /** Voxels lighter than this carry no splat. */
    private readonly minWeight = 0.2,
  ) {}

  /** Finds the splats of some blocks anew. O(voxels of the blocks). */
  refresh(slots: ArrayLike<number>): void {
    this.ensure(this.field.blockCount);
    for (let i = 0; i < slots.length; i++) this.refreshBlock(slots[i]);
  }

  private refreshBlock(slot: number): void {
    const { distance, weight, color, colorWeight, coords, voxel } = this.field;
    const base = slot * BLOCK_VOXELS;
    let at = slot * SPLATS_PER_BLOCK;
    const end = at + SPLATS_PER_BLOCK;
    for (let i = 0; i < BLOCK_VOXELS && at < end; i++) {
      const v = base + i;
      const d = distance[v];
      if (d > voxel || d < -voxel || weight[v] < this.minWeight) continue;
      const x = i & 7;
      const y = (i >> 3) & 7;
      const z = i >> 6;
      const gx = slope(distance, weight, v, x, 1);
      const gy = slope(distance, weight, v, y, BLOCK);
      const gz = slope(distance, weight, v, z, BLOCK * BLOCK);
      const squared = gx * gx + gy * gy + gz * gz;
      if (!(squared > 0.04 * voxel * voxel)) continue;
      // One splat a crossing: the voxel nearest to the surface along the normal's main axis.
      const ax = gx < 0 ? -gx : gx;
      const ay = gy < 0 ? -gy : gy;
      const az = gz < 0 ? -gz : gz;
      const main = ax > ay ? (ax > az ? ax : az) : ay > az ? ay : az;
      if (d > 0.5 * main || d < -0.5 * main) continue;
      const step = d / squared;
      this.positions[3 * at] = (coords[3 * slot] * BLOCK + x - step * gx) * voxel;
      this.positions[3 * at + 1] = (coords[3 * slot + 1] * BLOCK + y - step * gy) * voxel;
      this.positions[3 * at + 2] = (coords[3 * slot + 2] * BLOCK + z - step * gz) * voxel;
      const scale = 1 / Math.sqrt(squared);
      this.normals[3 * at] = gx * scale;
      this.normals[3 * at + 1] = gy * scale;
      this.normals[3 * at + 2] = gz * scale;
      const w = colorWeight[v];
      if (w > 0) {
        const r = color[3 * v] / w;
        const g = color[3 * v + 1] / w;
        const b = color[3 * v + 2] / w;
        this.colors[3 * at] = r;
        this.colors[3 * at + 1] = g;
        this.colors[3 * at + 2] = b;
        this.light[at] = (0.3 * r + 0.59 * g + 0.11 * b) / 255;
      } else {
        this.colors[3 * at] = 150;
        this.colors[3 * at + 1] = 142;
        this.colors[3 * at + 2] = 128;
        this.light[at] = -1;
      }
      at++;
    }
    this.count[slot] = at - slot * SPLATS_PER_BLOCK;
  }

  private ensure(blocks: number): void {
    if (this.count.length >= blocks) return;
    const capacity = Math.max(256, Math.ceil(1.5 * blocks));
    const grow = <A extends Float32Array | Uint8Array | Uint16Array>(a: A, length: number): A => {
      const b = new (a.constructor as new (n: number) => A)(length);
      b.set(a);
      return b;
    };
    this.count = grow(this.count, capacity);
    this.positions = grow(this.positions, 3 * capacity * SPLATS_PER_BLOCK);
    this.normals = grow(this.normals, 3 * capacity * SPLATS_PER_BLOCK);
    this.light = grow(this.light, capacity * SPLATS_PER_BLOCK);
    this.colors = grow(this.colors, 3 * capacity * SPLATS_PER_BLOCK);
  }
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

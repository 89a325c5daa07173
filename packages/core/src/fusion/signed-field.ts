import { GeometryError } from '../runtime/geometry-error.js';
import { VoxelTable } from '../spatial/voxel-keys.js';

/** Voxels along one edge of a block. */
export const BLOCK = 8;
export const BLOCK_VOXELS = BLOCK * BLOCK * BLOCK;
/** A vessel of 300 mm at 0.4 mm, inside and outside, takes a little more than half; 1.2 GB of distances alone. */
const MOST_BLOCKS = 300_000;

/**
 * Sparse signed distances near surfaces, in blocks of 8³ voxels made on demand: positive outside, negative inside.
 * Voxel (x, y, z) lies at `voxel · (x, y, z)` mm. Per voxel 28 bytes, with up to 32 scans.
 *
 * Values are running weighted means, so that data may come in any order:
 * `distance` (mm), `weight`, `color` (three linear sums over `colorWeight`), `scans` (one bit per scan, in `scanWords` words
 * a voxel).
 */
export class SignedField {
  readonly table = new VoxelTable(256);
  distance = new Float32Array(0);
  weight = new Float32Array(0);
  color = new Float32Array(0);
  colorWeight = new Float32Array(0);
  scans = new Uint32Array(0);
  readonly scanWords: number;
  /** Block coordinates, 3 per block. */
  coords = new Int32Array(0);

  /**
   * @param voxel edge length, mm
   * @param maxBlocks upper bound on memory: 14.3 kB a block
   * @param scans how many may be told apart; 0 keeps distances alone, without scans and colours (8 bytes a voxel)
   */
  constructor(
    readonly voxel: number,
    readonly maxBlocks = MOST_BLOCKS,
    scans = 32,
  ) {
    this.scanWords = Math.ceil(scans / 32);
  }

  private get blockBytes(): number {
    return BLOCK_VOXELS * (8 + (this.scanWords > 0 ? 16 + 4 * this.scanWords : 0));
  }

  get blockCount(): number {
    return this.table.size;
  }

  /** Slot of a block, made if need be. @throws GeometryError `too-large` beyond `maxBlocks` */
  block(bx: number, by: number, bz: number): number {
    const before = this.table.size;
    const slot = this.table.insert(bx, by, bz);
    if (slot === before) {
      if (slot >= this.maxBlocks) {
        throw new GeometryError(
          'too-large',
          `A voxel of ${this.voxel} mm needs more than ${((this.maxBlocks * this.blockBytes) / 1e9).toFixed(1)} GB of memory for this object. Choose a coarser resolution.`,
        );
      }
      this.ensure(slot + 1);
      this.coords[3 * slot] = bx;
      this.coords[3 * slot + 1] = by;
      this.coords[3 * slot + 2] = bz;
    }
    return slot;
  }

  private ensure(blocks: number): void {
    if (this.coords.length >= 3 * blocks) return;
    const capacity = Math.min(this.maxBlocks, Math.max(64, Math.ceil(1.6 * blocks)));
    const grow = <A extends Float32Array | Uint32Array | Int32Array>(a: A, length: number): A => {
      const b = new (a.constructor as new (n: number) => A)(length);
      b.set(a);
      return b;
    };
    this.distance = grow(this.distance, capacity * BLOCK_VOXELS);
    this.weight = grow(this.weight, capacity * BLOCK_VOXELS);
    if (this.scanWords > 0) {
      this.color = grow(this.color, 3 * capacity * BLOCK_VOXELS);
      this.colorWeight = grow(this.colorWeight, capacity * BLOCK_VOXELS);
    }
    this.scans = grow(this.scans, capacity * BLOCK_VOXELS * this.scanWords);
    this.coords = grow(this.coords, 3 * capacity);
  }
}

/**
 * Fills a field from a signed distance function near its surface, for shapes known in closed form.
 * `f` must not change faster than its argument moves (|f(a) − f(b)| ≤ |a − b|), or blocks are missed.
 */
export function sampleField(
  f: (x: number, y: number, z: number) => number,
  min: ArrayLike<number>,
  max: ArrayLike<number>,
  voxel: number,
): SignedField {
  const field = new SignedField(voxel, 400_000);
  const size = voxel * BLOCK;
  const reach = (Math.sqrt(3) * size) / 2 + 2 * voxel;
  const from = [0, 1, 2].map((k) => Math.floor(min[k] / size) - 1);
  const to = [0, 1, 2].map((k) => Math.floor(max[k] / size) + 1);
  for (let bz = from[2]; bz <= to[2]; bz++) {
    for (let by = from[1]; by <= to[1]; by++) {
      for (let bx = from[0]; bx <= to[0]; bx++) {
        if (Math.abs(f((bx + 0.5) * size, (by + 0.5) * size, (bz + 0.5) * size)) > reach) continue;
        const at = field.block(bx, by, bz) * BLOCK_VOXELS;
        for (let i = 0; i < BLOCK_VOXELS; i++) {
          const x = (bx * BLOCK + (i & 7)) * voxel;
          const y = (by * BLOCK + ((i >> 3) & 7)) * voxel;
          const z = (bz * BLOCK + (i >> 6)) * voxel;
          field.distance[at + i] = f(x, y, z);
          field.weight[at + i] = 1;
        }
      }
    }
  }
  return field;
}

import { SPLATS_PER_BLOCK, type ModelSplats } from './model-splats.js';

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

/** Hands out the splats of the blocks that changed since they were last asked for, to be drawn. */
export class LiveSurface {
  private readonly changed = new Set<number>();

  constructor(private readonly splats: ModelSplats) {}

  /** Remembers blocks that were refreshed. */
  touch(slots: ArrayLike<number>): void {
    for (let i = 0; i < slots.length; i++) this.changed.add(slots[i]);
  }

  /** Splats of changed blocks, at most `limit` blocks at a time; the rest comes with the next call. O(splats given). */
  changes(limit: number): SplatPatch[] {
    const out: SplatPatch[] = [];
    for (const block of this.changed) {
      if (out.length >= limit) break;
      this.changed.delete(block);
      const from = block * SPLATS_PER_BLOCK;
      const to = from + this.splats.count[block];
      out.push({
        block,
        positions: this.splats.positions.slice(3 * from, 3 * to),
        normals: Int8Array.from(this.splats.normals.subarray(3 * from, 3 * to), (v) => 127 * v),
        colors: this.splats.colors.slice(3 * from, 3 * to),
      });
    }
    return out;
  }
}

/**
 * Open-addressing table from integer cell coordinates to consecutive slot numbers 0, 1, 2, …
 * Coordinates must lie within ±2^20. Grows by doubling; amortised O(1).
 */
export class VoxelTable {
  private keysLow: Int32Array;
  private keysHigh: Int32Array;
  private slots: Int32Array;
  private mask: number;
  size = 0;

  constructor(expected = 1024) {
    let capacity = 1024;
    while (capacity < expected * 2) capacity *= 2;
    this.mask = capacity - 1;
    this.keysLow = new Int32Array(capacity);
    this.keysHigh = new Int32Array(capacity);
    this.slots = new Int32Array(capacity).fill(-1);
  }

  /** Slot of a cell, or -1. */
  find(x: number, y: number, z: number): number {
    const low = (x & 0x1fffff) | ((y & 0x7ff) << 21);
    const high = ((y >> 11) & 0x3ff) | ((z & 0x1fffff) << 10);
    let h = hash(low, high) & this.mask;
    while (this.slots[h] >= 0) {
      if (this.keysLow[h] === low && this.keysHigh[h] === high) return this.slots[h];
      h = (h + 1) & this.mask;
    }
    return -1;
  }

  /** Slot of a cell, made if there is none (then it equals the size before the call). */
  insert(x: number, y: number, z: number): number {
    const low = (x & 0x1fffff) | ((y & 0x7ff) << 21);
    const high = ((y >> 11) & 0x3ff) | ((z & 0x1fffff) << 10);
    let h = hash(low, high) & this.mask;
    while (this.slots[h] >= 0) {
      if (this.keysLow[h] === low && this.keysHigh[h] === high) return this.slots[h];
      h = (h + 1) & this.mask;
    }
    if (this.size * 2 > this.mask) {
      this.grow();
      return this.insert(x, y, z);
    }
    this.keysLow[h] = low;
    this.keysHigh[h] = high;
    this.slots[h] = this.size;
    return this.size++;
  }

  private grow(): void {
    const { keysLow, keysHigh, slots } = this;
    const capacity = 2 * slots.length;
    this.mask = capacity - 1;
    this.keysLow = new Int32Array(capacity);
    this.keysHigh = new Int32Array(capacity);
    this.slots = new Int32Array(capacity).fill(-1);
    for (let i = 0; i < slots.length; i++) {
      if (slots[i] < 0) continue;
      let h = hash(keysLow[i], keysHigh[i]) & this.mask;
      while (this.slots[h] >= 0) h = (h + 1) & this.mask;
      this.keysLow[h] = keysLow[i];
      this.keysHigh[h] = keysHigh[i];
      this.slots[h] = slots[i];
    }
  }
}

function hash(low: number, high: number): number {
  let h = Math.imul(low, 0x9e3779b1) ^ Math.imul(high, 0x85ebca6b);
  h ^= h >>> 15;
  h = Math.imul(h, 0x2c1b3c6d);
  return h ^ (h >>> 13);
}

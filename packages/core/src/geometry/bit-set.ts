/** Bits set in every possible byte. */
const BITS_IN = Uint8Array.from({ length: 256 }, (_, b) => b.toString(2).replaceAll('0', '').length);

/**
 * A set of the numbers 0 … size − 1, one bit each: number i is bit `i & 7` of byte `i >> 3`. Spare bits of the last
 * byte are 0.
 */
export class BitSet {
  /** @param bytes taken over, not copied; made empty if absent */
  constructor(
    readonly size: number,
    readonly bytes: Uint8Array = new Uint8Array((size + 7) >> 3),
  ) {}

  /** All numbers from 0 to size − 1. */
  static full(size: number): BitSet {
    const set = new BitSet(size);
    set.bytes.fill(255);
    set.clearSpare();
    return set;
  }

  has(i: number): boolean {
    return (this.bytes[i >> 3] & (1 << (i & 7))) !== 0;
  }

  add(i: number): void {
    this.bytes[i >> 3] |= 1 << (i & 7);
  }

  delete(i: number): void {
    this.bytes[i >> 3] &= ~(1 << (i & 7));
  }

  /** How many numbers the set holds. O(size / 8). */
  count(): number {
    let n = 0;
    for (const b of this.bytes) n += BITS_IN[b];
    return n;
  }

  copy(): BitSet {
    return new BitSet(this.size, this.bytes.slice());
  }

  /** Numbers in this set, in the other or in both. */
  union(other: BitSet): BitSet {
    return new BitSet(
      this.size,
      this.bytes.map((b, k) => b | other.bytes[k]),
    );
  }

  /** Numbers in both sets. */
  intersection(other: BitSet): BitSet {
    return new BitSet(
      this.size,
      this.bytes.map((b, k) => b & other.bytes[k]),
    );
  }

  /** Numbers in this set that are not in the other. */
  difference(other: BitSet): BitSet {
    return new BitSet(
      this.size,
      this.bytes.map((b, k) => b & ~other.bytes[k]),
    );
  }

  /** The numbers held, in rising order. O(size / 8 + numbers). */
  toArray(): Uint32Array {
    const out = new Uint32Array(this.count());
    let at = 0;
    for (let k = 0; k < this.bytes.length; k++) {
      const b = this.bytes[k];
      if (b === 0) continue;
      for (let j = 0; j < 8; j++) if (b & (1 << j)) out[at++] = 8 * k + j;
    }
    return out;
  }

  private clearSpare(): void {
    if (this.size & 7) this.bytes[this.bytes.length - 1] &= (1 << (this.size & 7)) - 1;
  }
}

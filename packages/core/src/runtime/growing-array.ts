type Numbers = Float32Array | Uint32Array | Uint8Array;

/** A typed array that grows as values are added: for files that don't say how much they hold. Amortised O(1) a value. */
export class GrowingArray<A extends Numbers> {
  length = 0;
  private values: A;

  constructor(private readonly kind: new (n: number) => A) {
    this.values = new kind(1024);
  }

  push(a: number, b?: number, c?: number): void {
    if (this.length + 3 > this.values.length) {
      const larger = new this.kind(2 * this.values.length);
      larger.set(this.values);
      this.values = larger;
    }
    this.values[this.length++] = a;
    if (b !== undefined) this.values[this.length++] = b;
    if (c !== undefined) this.values[this.length++] = c;
  }

  /** Puts three values in place of those from `i` on. */
  set(i: number, a: number, b: number, c: number): void {
    this.values[i] = a;
    this.values[i + 1] = b;
    this.values[i + 2] = c;
  }

  at(i: number): number {
    return this.values[i];
  }

  /** The values so far, in an array of just their number. */
  toArray(): A {
    return this.values.slice(0, this.length) as A;
  }
}

/** Union–find with path halving and union by size (R. Tarjan, 1975, Efficiency of a good but not linear set union algorithm). */
export class DisjointSets {
  private readonly parent: Int32Array;
  private readonly count: Int32Array;

  constructor(readonly size: number) {
    const n = size;
    this.parent = new Int32Array(n);
    this.count = new Int32Array(n).fill(1);
    for (let i = 0; i < n; i++) this.parent[i] = i;
  }

  find(i: number): number {
    const { parent } = this;
    while (parent[i] !== i) {
      parent[i] = parent[parent[i]];
      i = parent[i];
    }
    return i;
  }

  /** @returns true if two sets became one */
  union(a: number, b: number): boolean {
    let i = this.find(a);
    let j = this.find(b);
    if (i === j) return false;
    if (this.count[i] < this.count[j]) [i, j] = [j, i];
    this.parent[j] = i;
    this.count[i] += this.count[j];
    return true;
  }

  sizeOf(i: number): number {
    return this.count[this.find(i)];
  }
}

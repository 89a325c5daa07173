/**
 * Weighted linear least squares over many unknowns with few of them in each row, for several right-hand sides at once:
 * minimizes Σ weight (Σ coefficient · x − target)². Solved through the normal equations by a sparse LDLᵀ factorization
 * row by row (T. Davis, 2005, Algorithm 849: a concise sparse Cholesky factorization package) after the ordering of
 * E. Cuthill, J. McKee (1969), Reducing the bandwidth of sparse symmetric matrices, reversed.
 */
export class SparseLeastSquares {
  private row: number[] = [];
  private column: number[] = [];
  private value: number[] = [];
  private readonly right: Float64Array;

  /** @param sides how many right-hand sides */
  constructor(
    readonly unknowns: number,
    readonly sides: number,
  ) {
    this.right = new Float64Array(unknowns * sides);
  }

  /** Adds a row; `targets` has one value per side. Coefficients of the same unknown add up. */
  add(unknowns: ArrayLike<number>, coefficients: ArrayLike<number>, weight: number, targets?: ArrayLike<number>): void {
    for (let i = 0; i < unknowns.length; i++) {
      const scaled = weight * coefficients[i];
      for (let j = 0; j < unknowns.length; j++) {
        if (unknowns[j] > unknowns[i]) continue;
        this.row.push(unknowns[i]);
        this.column.push(unknowns[j]);
        this.value.push(scaled * coefficients[j]);
      }
      if (targets) {
        for (let s = 0; s < this.sides; s++) this.right[s * this.unknowns + unknowns[i]] += scaled * targets[s];
      }
    }
  }

  /**
   * O(n · band²) at most. @returns the unknowns of the first side, then of the second …; undefined if the rows don't
   * settle them
   */
  solve(): Float64Array | undefined {
    const { unknowns: n, sides } = this;
    const lower = compressed(n, this.row, this.column, this.value);
    const order = reverseCuthillMcKee(n, lower);
    const factor = factorize(n, permuted(n, lower, order));
    if (!factor) return undefined;
    const out = new Float64Array(n * sides);
    const x = new Float64Array(n);
    for (let s = 0; s < sides; s++) {
      for (let i = 0; i < n; i++) x[i] = this.right[s * n + order[i]];
      substitute(factor, x);
      for (let i = 0; i < n; i++) out[s * n + order[i]] = x[i];
    }
    return out;
  }
}

/** Rows of a sparse matrix: `column` and `value` from `start[i]` to `start[i + 1]`. */
interface SparseRows {
  start: Int32Array;
  column: Int32Array;
  value: Float64Array;
}

/** Entries by row, those at the same place added. */
function compressed(n: number, rows: number[], columns: number[], values: number[]): SparseRows {
  const end = new Int32Array(n + 1);
  for (const r of rows) end[r + 1]++;
  for (let i = 0; i < n; i++) end[i + 1] += end[i];
  const cursor = end.slice(0, n);
  const column = new Int32Array(rows.length);
  const value = new Float64Array(rows.length);
  for (let k = 0; k < rows.length; k++) {
    const at = cursor[rows[k]]++;
    column[at] = columns[k];
    value[at] = values[k];
  }
  const start = new Int32Array(n + 1);
  const place = new Int32Array(n).fill(-1);
  let kept = 0;
  for (let i = 0; i < n; i++) {
    for (let k = end[i]; k < end[i + 1]; k++) {
      const c = column[k];
      if (place[c] >= start[i]) {
        value[place[c]] += value[k];
        continue;
      }
      place[c] = kept;
      column[kept] = c;
      value[kept++] = value[k];
    }
    start[i + 1] = kept;
  }
  return { start, column: column.slice(0, kept), value: value.slice(0, kept) };
}

/** An order of the unknowns in which neighbours stand close: `order[new] = old`. */
function reverseCuthillMcKee(n: number, lower: SparseRows): Int32Array {
  const degree = new Int32Array(n + 1);
  const each = (act: (a: number, b: number) => void): void => {
    for (let i = 0; i < n; i++) {
      for (let k = lower.start[i]; k < lower.start[i + 1]; k++) {
        if (lower.column[k] !== i) {
          act(i, lower.column[k]);
          act(lower.column[k], i);
        }
      }
    }
  };
  each((a) => degree[a]++);
  const start = new Int32Array(n + 1);
  for (let i = 0; i < n; i++) start[i + 1] = start[i] + degree[i];
  const cursor = start.slice(0, n);
  const list = new Int32Array(start[n]);
  each((a, b) => (list[cursor[a]++] = b));
  const seen = new Uint8Array(n);
  const order = new Int32Array(n);
  let count = 0;
  const walk = (from: number): number => {
    const first = count;
    order[count++] = from;
    seen[from] = 1;
    for (let at = first; at < count; at++) {
      const v = order[at];
      const begin = count;
      for (let k = start[v]; k < start[v + 1]; k++) {
        if (seen[list[k]]) continue;
        seen[list[k]] = 1;
        order[count++] = list[k];
      }
      order.subarray(begin, count).sort((a, b) => degree[a] - degree[b]);
    }
    return first;
  };
  for (let v = 0; v < n; v++) {
    if (seen[v]) continue;
    // The last one reached from anywhere lies at an end of its part: begin there.
    const first = walk(v);
    const last = order[count - 1];
    for (let i = first; i < count; i++) seen[order[i]] = 0;
    count = first;
    walk(last);
  }
  return order.reverse();
}

/** The upper half by columns (so each list holds rows up to the column) in the new order. */
function permuted(n: number, lower: SparseRows, order: Int32Array): SparseRows {
  const place = new Int32Array(n);
  for (let i = 0; i < n; i++) place[order[i]] = i;
  const start = new Int32Array(n + 1);
  const each = (act: (column: number, row: number, value: number) => void): void => {
    for (let i = 0; i < n; i++) {
      for (let k = lower.start[i]; k < lower.start[i + 1]; k++) {
        const a = place[i];
        const b = place[lower.column[k]];
        act(Math.max(a, b), Math.min(a, b), lower.value[k]);
      }
    }
  };
  each((c) => start[c + 1]++);
  for (let i = 0; i < n; i++) start[i + 1] += start[i];
  const cursor = start.slice(0, n);
  const column = new Int32Array(start[n]);
  const value = new Float64Array(start[n]);
  each((c, r, v) => {
    column[cursor[c]] = r;
    value[cursor[c]++] = v;
  });
  return { start, column, value };
}

interface Factor {
  start: Int32Array;
  row: Int32Array;
  value: Float64Array;
  diagonal: Float64Array;
}

function factorize(n: number, upper: SparseRows): Factor | undefined {
  const parent = new Int32Array(n).fill(-1);
  const mark = new Int32Array(n);
  const length = new Int32Array(n);
  // Which columns each row of the factor touches follows from the tree of first dependents.
  for (let k = 0; k < n; k++) {
    mark[k] = k;
    for (let e = upper.start[k]; e < upper.start[k + 1]; e++) {
      for (let i = upper.column[e]; mark[i] !== k; i = parent[i]) {
        if (parent[i] < 0) parent[i] = k;
        length[i]++;
        mark[i] = k;
      }
    }
  }
  const start = new Int32Array(n + 1);
  for (let i = 0; i < n; i++) start[i + 1] = start[i] + length[i];
  const row = new Int32Array(start[n]);
  const value = new Float64Array(start[n]);
  const diagonal = new Float64Array(n);
  const filled = start.slice(0, n);
  const work = new Float64Array(n);
  const path = new Int32Array(n);
  const pattern = new Int32Array(n);
  mark.fill(-1);
  for (let k = 0; k < n; k++) {
    let top = n;
    mark[k] = k;
    for (let e = upper.start[k]; e < upper.start[k + 1]; e++) {
      let i = upper.column[e];
      work[i] += upper.value[e];
      let steps = 0;
      for (; mark[i] !== k; i = parent[i]) {
        path[steps++] = i;
        mark[i] = k;
      }
      while (steps > 0) pattern[--top] = path[--steps];
    }
    let pivot = work[k];
    const whole = pivot;
    work[k] = 0;
    for (; top < n; top++) {
      const i = pattern[top];
      const w = work[i];
      work[i] = 0;
      for (let p = start[i]; p < filled[i]; p++) work[row[p]] -= value[p] * w;
      const l = w / diagonal[i];
      pivot -= l * w;
      row[filled[i]] = k;
      value[filled[i]++] = l;
    }
    if (!(pivot > 1e-15 * whole)) return undefined;
    diagonal[k] = pivot;
  }
  return { start, row, value, diagonal };
}

function substitute({ start, row, value, diagonal }: Factor, x: Float64Array): void {
  const n = diagonal.length;
  for (let i = 0; i < n; i++) for (let p = start[i]; p < start[i + 1]; p++) x[row[p]] -= value[p] * x[i];
  for (let i = 0; i < n; i++) x[i] /= diagonal[i];
  for (let i = n - 1; i >= 0; i--) for (let p = start[i]; p < start[i + 1]; p++) x[i] -= value[p] * x[row[p]];
}

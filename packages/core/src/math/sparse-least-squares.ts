/**
 * Weighted linear least squares over many unknowns with few of them in each row, for several right-hand sides at once:
 * minimizes Σ weight (Σ coefficient · x − target)². Solved through the normal equations by a sparse LDLᵀ factorization
 * row by row (T. Davis, 2005, Algorithm 849: a concise sparse Cholesky factorization package) in the order of nested
 * dissection (A. George, J. Liu, 1978, An automatic nested dissection algorithm for irregular finite element problems).
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
   * About O(n^1.5) for unknowns that lie on a surface. @returns the unknowns of the first side, then of the second …; undefined if the rows don't
   * settle them
   */
  solve(): Float64Array | undefined {
    const { unknowns: n, sides } = this;
    const lower = compressed(n, this.row, this.column, this.value);
    const order = nestedDissection(n, lower);
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

/** Parts of so few unknowns are not divided further. */
const SMALL_PART = 40;

/**
 * An order of the unknowns, `order[new] = old`: two halves that do not touch, each ordered so itself, before the layer
 * between them.
 */
function nestedDissection(n: number, lower: SparseRows): Int32Array {
  const { start, list } = neighboursOf(n, lower);
  const order = new Int32Array(n);
  /** Which part an unknown is in; those put in order are in none. */
  const part = new Int32Array(n);
  const layer = new Int32Array(n);
  let parts = 1;
  let end = n;
  /** Members of a part in layers by their way from one of them. */
  const layers = (from: number, mine: number): number[] => {
    const out = [from];
    part[from] = -mine;
    layer[from] = 0;
    for (const v of out) {
      for (let k = start[v]; k < start[v + 1]; k++) {
        const w = list[k];
        if (part[w] !== mine) continue;
        part[w] = -mine;
        layer[w] = layer[v] + 1;
        out.push(w);
      }
    }
    for (const v of out) part[v] = mine;
    return out;
  };
  const stack: number[][] = [];
  part.fill(parts);
  for (let v = 0; v < n; v++) {
    if (part[v] !== 1) continue;
    const whole = layers(v, 1);
    parts++;
    for (const w of whole) part[w] = parts;
    stack.push(whole);
  }
  // Filled from the back: the layer that parts, then one half with all its own, then the other.
  while (stack.length > 0) {
    const members = stack.pop()!;
    const mine = part[members[0]];
    const first = layers(members[0], mine);
    if (first.length < members.length) {
      // It fell into pieces.
      parts++;
      for (const v of first) part[v] = parts;
      stack.push(
        members.filter((v) => part[v] === mine),
        first,
      );
      continue;
    }
    const ordered = layers(first[first.length - 1], mine);
    const depth = layer[ordered[ordered.length - 1]];
    if (members.length <= SMALL_PART || depth < 2) {
      for (const v of ordered) {
        order[--end] = v;
        part[v] = 0;
      }
      continue;
    }
    const middle = Math.min(depth - 1, Math.max(1, layer[ordered[ordered.length >> 1]]));
    const halves: number[][] = [[], []];
    const ids = [++parts, ++parts];
    for (const v of ordered) {
      if (layer[v] === middle) {
        order[--end] = v;
        part[v] = 0;
      } else {
        const side = layer[v] < middle ? 0 : 1;
        halves[side].push(v);
        part[v] = ids[side];
      }
    }
    stack.push(...halves);
  }
  return order;
}

/** Neighbours of each unknown in both directions. */
function neighboursOf(n: number, lower: SparseRows): { start: Int32Array; list: Int32Array } {
  const start = new Int32Array(n + 1);
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
  each((a) => start[a + 1]++);
  for (let i = 0; i < n; i++) start[i + 1] += start[i];
  const cursor = start.slice(0, n);
  const list = new Int32Array(start[n]);
  each((a, b) => (list[cursor[a]++] = b));
  return { start, list };
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

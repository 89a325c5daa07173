/** Triangles that lie over each other by less than this share of a cell count as touching. */
const TOUCH = 1e-5;

/**
 * Pairs of triangles in a plane that lie over each other, not only touch: two numbers a pair.
 * By a grid of about one triangle a cell and separating axes (S. Gottschalk, M. Lin, D. Manocha, 1996, OBBTree); about O(n).
 * @param uv two coordinates a vertex
 * @param corners three vertices a triangle
 */
export function overlappingPairs(uv: ArrayLike<number>, corners: ArrayLike<number>): Int32Array {
  const n = corners.length / 3;
  const box = new Float64Array(4 * n);
  const all = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < n; i++) {
    const b = box.subarray(4 * i, 4 * i + 4);
    b.set([Infinity, Infinity, -Infinity, -Infinity]);
    for (let k = 0; k < 3; k++) {
      const v = 2 * corners[3 * i + k];
      b[0] = Math.min(b[0], uv[v]);
      b[1] = Math.min(b[1], uv[v + 1]);
      b[2] = Math.max(b[2], uv[v]);
      b[3] = Math.max(b[3], uv[v + 1]);
    }
    for (let k = 0; k < 2; k++) {
      all[k] = Math.min(all[k], b[k]);
      all[k + 2] = Math.max(all[k + 2], b[k + 2]);
    }
  }
  const cell = Math.max(1e-9, Math.sqrt(((all[2] - all[0]) * (all[3] - all[1])) / Math.max(1, n)));
  const columns = Math.min(4096, Math.floor((all[2] - all[0]) / cell) + 1);
  const rows = Math.min(4096, Math.floor((all[3] - all[1]) / cell) + 1);
  const column = (x: number): number => Math.max(0, Math.min(columns - 1, Math.floor((x - all[0]) / cell)));
  const row = (y: number): number => Math.max(0, Math.min(rows - 1, Math.floor((y - all[1]) / cell)));
  const start = new Uint32Array(columns * rows + 1);
  const forCells = (i: number, visit: (at: number) => void): void => {
    const right = column(box[4 * i + 2]);
    const top = row(box[4 * i + 3]);
    for (let y = row(box[4 * i + 1]); y <= top; y++)
      for (let x = column(box[4 * i]); x <= right; x++) visit(y * columns + x);
  };
  for (let i = 0; i < n; i++) forCells(i, (at) => start[at + 1]++);
  for (let i = 0; i < columns * rows; i++) start[i + 1] += start[i];
  const next = start.slice();
  const items = new Int32Array(start[columns * rows]);
  for (let i = 0; i < n; i++) forCells(i, (at) => (items[next[at]++] = i));
  const pairs: number[] = [];
  for (let at = 0; at < columns * rows; at++) {
    for (let s = start[at]; s < start[at + 1]; s++) {
      for (let r = s + 1; r < start[at + 1]; r++) {
        const [i, j] = [4 * items[s], 4 * items[r]];
        const left = Math.max(box[i], box[j]);
        const low = Math.max(box[i + 1], box[j + 1]);
        if (left > Math.min(box[i + 2], box[j + 2]) || low > Math.min(box[i + 3], box[j + 3])) continue;
        // Each pair is looked at in one cell only.
        if (row(low) * columns + column(left) !== at) continue;
        if (overlap(uv, corners, 3 * items[s], 3 * items[r], TOUCH * cell)) pairs.push(items[s], items[r]);
      }
    }
  }
  return Int32Array.from(pairs);
}

function overlap(uv: ArrayLike<number>, corners: ArrayLike<number>, a: number, b: number, touch: number): boolean {
  return !apart(uv, corners, a, b, touch) && !apart(uv, corners, b, a, touch);
}

/** Whether a line along an edge of a keeps b on its other side. */
function apart(uv: ArrayLike<number>, corners: ArrayLike<number>, a: number, b: number, touch: number): boolean {
  for (let k = 0; k < 3; k++) {
    const p = 2 * corners[a + k];
    const q = 2 * corners[a + ((k + 1) % 3)];
    const o = 2 * corners[a + ((k + 2) % 3)];
    let nx = uv[p + 1] - uv[q + 1];
    let ny = uv[q] - uv[p];
    const length = Math.sqrt(nx * nx + ny * ny);
    if (!(length > 0)) continue;
    const inward = nx * (uv[o] - uv[p]) + ny * (uv[o + 1] - uv[p + 1]) >= 0 ? 1 : -1;
    nx *= inward / length;
    ny *= inward / length;
    let most = -Infinity;
    for (let j = 0; j < 3; j++) {
      const v = 2 * corners[b + j];
      most = Math.max(most, nx * (uv[v] - uv[p]) + ny * (uv[v + 1] - uv[p + 1]));
    }
    if (most <= touch) return true;
  }
  return false;
}

import type { Vec3 } from '../math/mat4.js';

/** An edge longer than so many times the usual one leads from one surface to another. */
const JUMP = 5;
/** Edges that are looked at for the usual length. */
const TRIED = 20_000;

/** Which point was seen in which direction: a picture of point numbers, -1 where nothing was seen. */
export interface RangeGrid {
  /** Row by row. */
  cells: Int32Array;
  columns: number;
  rows: number;
}

/**
 * Normals of the points of a range picture, from the triangles between neighbouring cells, weighted by their areas; edges
 * that jump in depth are left out. On the whole they look to `sensor`, or along +Z where it is not known: range pictures
 * without a place are seen from there (from memory). Points without a triangle look there as well. O(cells).
 * Source of the layout: Stanford Computer Graphics Laboratory (1996), PLY files with a range_grid element; ASTM E2807-11
 * (2011), row and column index.
 */
export function normalsFromGrid(p: Float32Array, grid: RangeGrid, sensor?: Vec3): Float32Array {
  const { cells, columns, rows } = grid;
  const n = p.length / 3;
  const at = (c: number, r: number): number => {
    const i = cells[r * columns + c];
    return i >= 0 && i < n ? 3 * i : -1;
  };
  const lengthOf = (a: number, b: number): number => Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
  const longest = JUMP * usualEdge(grid, at, lengthOf);
  const normals = new Float32Array(3 * n);
  const add = (a: number, b: number, c: number): void => {
    if (a < 0 || b < 0 || c < 0) return;
    if (!(Math.max(lengthOf(a, b), lengthOf(b, c), lengthOf(c, a)) <= longest)) return;
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    for (const corner of [a, b, c]) {
      normals[corner] += uy * vz - uz * vy;
      normals[corner + 1] += uz * vx - ux * vz;
      normals[corner + 2] += ux * vy - uy * vx;
    }
  };
  for (let r = 0; r + 1 < rows; r++) {
    for (let c = 0; c + 1 < columns; c++) {
      add(at(c, r), at(c + 1, r), at(c + 1, r + 1));
      add(at(c, r), at(c + 1, r + 1), at(c, r + 1));
    }
  }
  turnAndScale(p, normals, sensor);
  return normals;
}

/** Median length of an even part of the edges between cells side by side. */
function usualEdge(
  { columns, rows }: RangeGrid,
  at: (c: number, r: number) => number,
  lengthOf: (a: number, b: number) => number,
): number {
  const edges: number[] = [];
  const step = Math.max(1, Math.floor((columns * rows) / TRIED));
  for (let k = 0; k < columns * rows; k += step) {
    const c = k % columns;
    if (c + 1 >= columns) continue;
    const [a, b] = [at(c, Math.floor(k / columns)), at(c + 1, Math.floor(k / columns))];
    if (a >= 0 && b >= 0) edges.push(lengthOf(a, b));
  }
  return Float64Array.from(edges).sort()[edges.length >> 1] ?? 0;
}

function turnAndScale(p: Float32Array, normals: Float32Array, sensor: Vec3 | undefined): void {
  const toward = (i: number, k: number): number => (sensor ? sensor[k] - p[i + k] : k === 2 ? 1 : 0);
  let towards = 0;
  for (let i = 0; i < normals.length; i += 3) {
    const length = Math.hypot(normals[i], normals[i + 1], normals[i + 2]);
    if (length === 0) for (let k = 0; k < 3; k++) normals[i + k] = 0;
    else {
      for (let k = 0; k < 3; k++) normals[i + k] /= length;
      const reach = Math.hypot(toward(i, 0), toward(i, 1), toward(i, 2)) || 1;
      const dot = [0, 1, 2].reduce((s, k) => s + normals[i + k] * toward(i, k), 0) / reach;
      if (Number.isFinite(dot)) towards += dot;
    }
  }
  const sign = towards < 0 ? -1 : 1;
  for (let i = 0; i < normals.length; i += 3) {
    const alone = normals[i] === 0 && normals[i + 1] === 0 && normals[i + 2] === 0;
    const reach = Math.hypot(toward(i, 0), toward(i, 1), toward(i, 2)) || 1;
    for (let k = 0; k < 3; k++) normals[i + k] = alone ? toward(i, k) / reach : sign * normals[i + k];
  }
}

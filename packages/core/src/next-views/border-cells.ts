import { normalize3, type Vec3 } from '../math/mat4.js';
import { isOpen, SURFACE, UNSEEN, type SightGrid } from './sight-grid.js';

/** Surface is thin with less than this share of the points that one scan usually has, if it usually has at least so many. */
const THIN_RATIO = 0.25;
const LEAST_USUAL = 4;
/** An unseen cell with so many measured ones around it lies just behind them, and shows between their corners only. */
const MEASURED = 3;
/** Patches of fewer unseen cells are specks between points. */
export const LEAST_PATCH = 8;

const SIDES = [
  [-1, 0, 0],
  [1, 0, 0],
  [0, -1, 0],
  [0, 1, 0],
  [0, 0, -1],
  [0, 0, 1],
] as const;

export interface BorderCells {
  /** Cell index of each. */
  index: number[];
  middles: Vec3[];
  /** Towards the empty side. */
  normals: Vec3[];
  /** Whether it was measured, but thinly; else it is unseen. */
  thin: boolean[];
}

/**
 * What a scanner could still show, in patches of some size: unseen cells, and thinly measured ones, that border on open
 * space. O(cells).
 */
export function borderCells(grid: SightGrid): BorderCells {
  const out: BorderCells = { index: [], middles: [], normals: [], thin: [] };
  addUnseen(grid, out);
  addThin(grid, out);
  return patchesOnly(grid, out);
}

/** Unseen cells beside open ones or at the grid's edge, which is empty beyond. */
function addUnseen(grid: SightGrid, out: BorderCells): void {
  const { size, state } = grid;
  const open = openAround(grid);
  for (let at = 0; at < state.length; at++) {
    if (state[at] !== UNSEEN) continue;
    const [i, j, k] = coordinatesOf(grid, at);
    if (!SIDES.some(([a, b, c]) => open(i + a, j + b, k + c))) continue;
    let measured = 0;
    eachAround((a, b, c) => {
      if (!open(i + a, j + b, k + c) && state[at + a + size[0] * (b + size[1] * c)] === SURFACE) measured++;
    });
    if (measured < MEASURED) addBorder(out, grid, at, false);
  }
}

/** Measured cells that hold, with those around them, far fewer points each than a scan usually has. */
function addThin(grid: SightGrid, out: BorderCells): void {
  const { size, points, usualPoints } = grid;
  if (usualPoints < LEAST_USUAL) return;
  const open = openAround(grid);
  for (let at = 0; at < points.length; at++) {
    if (points[at] === 0) continue;
    const [i, j, k] = coordinatesOf(grid, at);
    let held = 0;
    let count = 0;
    eachAround((a, b, c) => {
      const n = open(i + a, j + b, k + c) ? 0 : points[at + a + size[0] * (b + size[1] * c)];
      if (n > 0) count++;
      held += n;
    });
    if (held < THIN_RATIO * usualPoints * count) addBorder(out, grid, at, true);
  }
}

/** Adds a cell with the direction in which it is open, if there is one. */
function addBorder(out: BorderCells, grid: SightGrid, at: number, thin: boolean): void {
  const { origin, cell } = grid;
  const open = openAround(grid);
  const place = coordinatesOf(grid, at);
  const [i, j, k] = place;
  const normal: Vec3 = [0, 0, 0];
  eachAround((a, b, c) => {
    if (!open(i + a, j + b, k + c)) return;
    normal[0] += a;
    normal[1] += b;
    normal[2] += c;
  });
  if (normal.every((v) => v === 0)) return;
  out.index.push(at);
  out.middles.push(place.map((v, axis) => origin[axis] + (v + 0.5) * cell) as Vec3);
  out.normals.push(normalize3(normal));
  out.thin.push(thin);
}

/** Whether a cell is open, as all beyond the grid are. */
function openAround({ size, state }: SightGrid): (i: number, j: number, k: number) => boolean {
  return (i, j, k) =>
    i < 0 ||
    j < 0 ||
    k < 0 ||
    i >= size[0] ||
    j >= size[1] ||
    k >= size[2] ||
    isOpen(state[(k * size[1] + j) * size[0] + i]);
}

function coordinatesOf({ size }: SightGrid, at: number): Vec3 {
  return [at % size[0], Math.floor(at / size[0]) % size[1], Math.floor(at / (size[0] * size[1]))];
}

/** The cell itself and its 26 neighbours, as steps. */
function eachAround(visit: (a: number, b: number, c: number) => void): void {
  for (let c = -1; c <= 1; c++) for (let b = -1; b <= 1; b++) for (let a = -1; a <= 1; a++) visit(a, b, c);
}

/** Without cells that have too few others beside them. */
function patchesOnly(grid: SightGrid, cells: BorderCells): BorderCells {
  const position = new Map(cells.index.map((at, c) => [at, c]));
  const patch = new Int32Array(cells.index.length).fill(-1);
  const sizes: number[] = [];
  const [nx, nxy] = [grid.size[0], grid.size[0] * grid.size[1]];
  for (let c = 0; c < patch.length; c++) {
    if (patch[c] >= 0) continue;
    const stack = [c];
    patch[c] = sizes.length;
    let count = 0;
    while (stack.length > 0) {
      const at = cells.index[stack.pop()!];
      count++;
      for (let d = 0; d < 27; d++) {
        const next = position.get(
          at + (d % 3) - 1 + nx * ((Math.floor(d / 3) % 3) - 1) + nxy * (Math.floor(d / 9) - 1),
        );
        if (next === undefined || patch[next] >= 0) continue;
        patch[next] = sizes.length;
        stack.push(next);
      }
    }
    sizes.push(count);
  }
  const kept = cells.index.flatMap((_, c) => (sizes[patch[c]] >= LEAST_PATCH ? [c] : []));
  return {
    index: kept.map((c) => cells.index[c]),
    middles: kept.map((c) => cells.middles[c]),
    normals: kept.map((c) => cells.normals[c]),
    thin: kept.map((c) => cells.thin[c]),
  };
}

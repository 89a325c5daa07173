import { boundsOf } from '../geometry/point-cloud.js';
import type { Placement, Scan } from '../geometry/scan.js';
import { sensorPositions } from '../geometry/scan.js';
import { invertRigid, multiply, transformPoints, type Vec3 } from '../math/mat4.js';
import { buildRangeViews } from '../registration/range-view.js';
import { spreadDirections } from '../math/spread-directions.js';

/** What is known of a cell of space. */
export const UNSEEN = 0;
export const EMPTY = 1;
export const SURFACE = 2;
/** Not seen, but hardly solid. */
export const PRESUMED_EMPTY = 3;

/** Cells along the longest edge of the piece, and how much is added around it. */
const CELLS = 72;
const MARGIN = 0.06;

/**
 * Space around a piece in cubic cells: where its surface was measured, what is known to be empty because a sensor looked
 * through it, and what no sensor has seen.
 *
 * Source: K. Kutulakos, S. Seitz (2000), A theory of shape by space carving, with depths in place of colours;
 * C. Connolly (1985), The determination of next best views (the three kinds of cells).
 */
export interface SightGrid {
  cell: number;
  origin: Vec3;
  size: [number, number, number];
  state: Uint8Array;
  /** Measured points in each cell, of all scans. */
  points: Uint32Array;
  /** Points that one scan usually has in a cell of its surface. */
  usualPoints: number;
  /** 1 where a sensor's sight ended just before a cell: it is solid, or empty only beyond something thinner. */
  behind: Uint8Array;
}

/** @returns undefined if no scan has a place. O(cells · views + points · hull directions) */
export function buildSightGrid(placed: readonly { scan: Scan; placement: Placement }[]): SightGrid | undefined {
  if (placed.length === 0) return undefined;
  const clouds = placed.map(({ scan, placement }) => transformPoints(placement.pieceFromScan, scan.cloud.positions));
  const min: Vec3 = [Infinity, Infinity, Infinity];
  const max: Vec3 = [-Infinity, -Infinity, -Infinity];
  for (const c of clouds) {
    const b = boundsOf(c);
    for (let k = 0; k < 3; k++) {
      min[k] = Math.min(min[k], b.min[k]);
      max[k] = Math.max(max[k], b.max[k]);
    }
  }
  const longest = Math.max(...max.map((v, k) => v - min[k]));
  const cell = (longest * (1 + 2 * MARGIN)) / CELLS || 1;
  const origin = min.map((v) => v - MARGIN * longest) as Vec3;
  const size = max.map((v, k) => Math.ceil((v + MARGIN * longest - origin[k]) / cell)) as [number, number, number];
  const state = new Uint8Array(size[0] * size[1] * size[2]);
  const grid: SightGrid = {
    cell,
    origin,
    size,
    state,
    points: new Uint32Array(state.length),
    usualPoints: 0,
    behind: new Uint8Array(state.length),
  };
  for (const { scan, placement } of placed) carve(grid, scan, placement);
  grid.usualPoints = median(clouds.map((c) => enterPoints(grid, c)));
  emptyOutside(grid, clouds);
  return grid;
}

/** Marks the cells of a cloud's points as surface. @returns points in a cell of it, the median */
function enterPoints(grid: SightGrid, cloud: Float32Array): number {
  const own = new Map<number, number>();
  for (let i = 0; i < cloud.length; i += 3) {
    const at = cellAt(grid, cloud[i], cloud[i + 1], cloud[i + 2]);
    if (at < 0) continue;
    grid.state[at] = SURFACE;
    grid.points[at]++;
    own.set(at, (own.get(at) ?? 0) + 1);
  }
  return median([...own.values()]);
}

function median(values: number[]): number {
  return values.sort((a, b) => a - b)[values.length >> 1] ?? 0;
}

/** Half-spaces whose intersection stands for the convex hull. */
const HULL_DIRECTIONS = 160;

/**
 * Marks as empty what lies outside the hull of all points: what is missing is looked for within it, so that a side not
 * seen is closed by its flat faces. O(cells · directions).
 */
function emptyOutside({ cell, origin, size, state }: SightGrid, clouds: readonly Float32Array[]): void {
  for (const [a, b, c] of spreadDirections(HULL_DIRECTIONS)) {
    let far = -Infinity;
    for (const p of clouds) {
      for (let i = 0; i < p.length; i += 3) {
        const d = a * p[i] + b * p[i + 1] + c * p[i + 2];
        if (d > far) far = d;
      }
    }
    far += 0.5 * cell;
    for (let k = 0, at = 0; k < size[2]; k++) {
      for (let j = 0; j < size[1]; j++) {
        const row = b * (origin[1] + (j + 0.5) * cell) + c * (origin[2] + (k + 0.5) * cell);
        for (let i = 0; i < size[0]; i++, at++) {
          if (state[at] === UNSEEN && a * (origin[0] + (i + 0.5) * cell) + row > far) state[at] = EMPTY;
        }
      }
    }
  }
}

/** What lies less than so many cells behind a surface belongs to it. */
const THICK = 2;

/** Marks as empty what a scan's sensor looked through, or saw nothing in. */
function carve({ cell, origin, size, state, behind }: SightGrid, scan: Scan, { pieceFromScan }: Placement): void {
  const scanFromPiece = invertRigid(pieceFromScan);
  for (const view of buildRangeViews(scan, sensorPositions(scan))) {
    const m = multiply(view.sensorFromScan, scanFromPiece);
    for (let k = 0, at = 0; k < size[2]; k++) {
      for (let j = 0; j < size[1]; j++) {
        for (let i = 0; i < size[0]; i++, at++) {
          if (state[at] === EMPTY) continue;
          const x = origin[0] + (i + 0.5) * cell;
          const y = origin[1] + (j + 0.5) * cell;
          const z = origin[2] + (k + 0.5) * cell;
          const vz = m[2] * x + m[6] * y + m[10] * z + m[14];
          if (vz <= 0) continue;
          const u = Math.round(view.size / 2 + (view.focal * (m[0] * x + m[4] * y + m[8] * z + m[12])) / vz);
          const v = Math.round(view.size / 2 + (view.focal * (m[1] * x + m[5] * y + m[9] * z + m[13])) / vz);
          if (u < 1 || v < 1 || u >= view.size - 1 || v >= view.size - 1) continue;
          const near = view.nearest[v * view.size + u];
          // A cell that the surface goes through is measured, whether or not one of its points lies in it: else it
          // would look like a skin that nobody has seen.
          if (near === 0 || (near > 0 && vz < near - 0.5 * cell)) state[at] = EMPTY;
          else if (near > 0 && vz < near + cell) state[at] = SURFACE;
          else if (near > 0 && vz < near + THICK * cell) behind[at] = 1;
        }
      }
    }
  }
}

/** Whether nothing is in a cell of that state, as far as is known or presumed. */
export function isOpen(state: number): boolean {
  return state === EMPTY || state === PRESUMED_EMPTY;
}

/** Index of the cell that holds a point; -1 outside. */
export function cellAt({ cell, origin, size }: SightGrid, x: number, y: number, z: number): number {
  const i = Math.floor((x - origin[0]) / cell);
  const j = Math.floor((y - origin[1]) / cell);
  const k = Math.floor((z - origin[2]) / cell);
  if (i < 0 || j < 0 || k < 0 || i >= size[0] || j >= size[1] || k >= size[2]) return -1;
  return (k * size[1] + j) * size[0] + i;
}

/** The first cell from `from` towards `to` that is not open; -1 if there is none before `to`. Steps of half a cell. */
export function firstSolid(grid: SightGrid, from: Vec3, to: Vec3): number {
  const d = [to[0] - from[0], to[1] - from[1], to[2] - from[2]];
  const length = Math.hypot(d[0], d[1], d[2]);
  const step = grid.cell / 2 / length;
  for (let t = entry(grid, from, d); t < 1; t += step) {
    const at = cellAt(grid, from[0] + t * d[0], from[1] + t * d[1], from[2] + t * d[2]);
    if (at >= 0 && !isOpen(grid.state[at])) return at;
  }
  return cellAt(grid, ...to);
}

/** Where along a line (0–1) it comes into the grid. */
function entry({ origin, size, cell }: SightGrid, from: Vec3, d: readonly number[]): number {
  let t = 0;
  for (let k = 0; k < 3; k++) {
    if (Math.abs(d[k]) < 1e-12) continue;
    const a = (origin[k] - from[k]) / d[k];
    const b = (origin[k] + size[k] * cell - from[k]) / d[k];
    t = Math.max(t, Math.min(a, b));
  }
  return t;
}

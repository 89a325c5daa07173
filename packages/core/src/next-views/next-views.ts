import type { Placement, Scan } from '../geometry/scan.js';
import { sensorPositions } from '../geometry/scan.js';
import { dot3, normalize3, transformPoint, type Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { outlineOf } from './outline.js';
import { spreadDirections } from './spread-directions.js';
import { presumeSurface } from './presumed-surface.js';
import { buildSightGrid, cellAt, firstSolid, isOpen, SURFACE, UNSEEN, type SightGrid } from './sight-grid.js';

/** What the scanner can do. */
export interface ScannerReach {
  /** From the sensor to the object's middle, mm: where it sees best, and the object fits its picture. */
  distance: number;
  /** Surfaces turned further away than this are not measured, degrees. */
  maxIncidence: number;
  /** Nearest and farthest surface that it measures, mm. */
  near: number;
  far: number;
  /** Angle of the cone that its picture holds however it is rolled, degrees. */
  fieldOfView: number;
}

export const SCANNER_REACH_DEFAULTS: Omit<ScannerReach, 'distance'> = {
  maxIncidence: 70,
  near: 0,
  far: Infinity,
  fieldOfView: 180,
};

/** A place from which the scanner would see what no scan has seen. */
export interface NextView {
  /** Where the sensor should stand, in the piece's frame; it looks at `target`. */
  eye: Vec3;
  target: Vec3;
  /** Area it would see newly, about, mm². */
  gain: number;
  /** Share of all unseen area that can be reached from anywhere (0–1). */
  share: number;
  /** The setup whose sensors stood on this side, or undefined if the piece must be laid down anew. */
  setup?: string;
  /** Middles of the unseen cells that it would see, 3n. */
  sees: Float32Array;
  /** Outlines of what it would see, segments of 6 numbers. */
  outline: Float32Array;
}

export interface NextViews {
  views: NextView[];
  /** Area that no scan has seen and some view could, about, mm². */
  unseen: number;
}

/** Directions that are tried, evenly over the ball. */
const DIRECTIONS = 180;
const MOST_VIEWS = 5;
/** Views that add less than this share of all unseen are not worth a scan. */
const LEAST_SHARE = 0.04;
/** Patches of fewer unseen cells are specks between points. */
const LEAST_PATCH = 8;
/** An unseen cell with so many measured ones around it lies just behind them, and shows between their corners only. */
const MEASURED = 3;
/** Cosine to a setup's usual direction from which on it can reach a view: the support hides what is below. */
const SAME_SIDE = 0.1;

/**
 * From where to scan next: unseen cells, as far as they may be solid (`presumeSurface`), that border on empty ones are what a scanner could still see. For directions all
 * round it is counted how many of them it would meet first, facing it enough; the best is taken, what it sees is struck
 * off, and so on.
 *
 * Sources: C. Connolly (1985), The determination of next best views; J. Banta et al. (2000), A next-best-view system for
 * autonomous 3-D object reconstruction; greedy cover after V. Chvátal (1979). O(cells · views + directions · unseen · way).
 */
export function findNextViews(
  placed: readonly { scan: Scan; placement: Placement; setup: string }[],
  reach: Pick<ScannerReach, 'distance'> & Partial<ScannerReach>,
  ctx: RunContext,
): NextViews {
  const { distance, maxIncidence, near, far, fieldOfView } = { ...SCANNER_REACH_DEFAULTS, ...reach };
  const grid = buildSightGrid(placed);
  if (!grid) return { views: [], unseen: 0 };
  presumeSurface(grid);
  const cells = unseenBorder(grid);
  const target = middleOf(grid);
  const cosineOf = (degrees: number): number => Math.cos((degrees * Math.PI) / 180);
  const limits = { near, far, leastFacing: cosineOf(maxIncidence), leastAxial: cosineOf(fieldOfView / 2) };
  const candidates = spreadDirections(DIRECTIONS).map((d, k) => {
    ctx.checkpoint(k / DIRECTIONS, 'Looking round the piece');
    const eye: Vec3 = [target[0] + distance * d[0], target[1] + distance * d[1], target[2] + distance * d[2]];
    return { eye, direction: d, sees: seenFrom(grid, cells, eye, target, limits) };
  });
  const reachable = new Set(candidates.flatMap((c) => c.sees));
  const area = grid.cell ** 2;
  const left = new Set(reachable);
  const views: NextView[] = [];
  while (views.length < MOST_VIEWS) {
    let best = { sees: [] as number[], candidate: candidates[0] };
    for (const candidate of candidates) {
      const sees = candidate.sees.filter((c) => left.has(c));
      if (sees.length > best.sees.length) best = { sees, candidate };
    }
    if (best.sees.length < Math.max(LEAST_PATCH, LEAST_SHARE * reachable.size)) break;
    for (const c of best.sees) left.delete(c);
    views.push({
      eye: best.candidate.eye,
      target,
      gain: best.sees.length * area,
      share: best.sees.length / reachable.size,
      setup: setupFor(placed, target, best.candidate.direction),
      sees: Float32Array.from(best.sees.flatMap((c) => cells.middles[c])),
      outline: outlineOf(
        grid,
        best.sees.map((c) => cells.index[c]),
      ),
    });
  }
  return { views, unseen: reachable.size * area };
}

const SIDES = [
  [-1, 0, 0],
  [1, 0, 0],
  [0, -1, 0],
  [0, 1, 0],
  [0, 0, -1],
  [0, 0, 1],
] as const;

interface BorderCells {
  /** Cell index of each. */
  index: number[];
  middles: Vec3[];
  /** Towards the empty side. */
  normals: Vec3[];
}

/** Unseen cells beside empty ones or at the grid's edge, which is empty beyond, in patches of some size. */
function unseenBorder(grid: SightGrid): BorderCells {
  const { size, state, origin, cell } = grid;
  const out: BorderCells = { index: [], middles: [], normals: [] };
  const isEmpty = (i: number, j: number, k: number): boolean =>
    i < 0 ||
    j < 0 ||
    k < 0 ||
    i >= size[0] ||
    j >= size[1] ||
    k >= size[2] ||
    isOpen(state[(k * size[1] + j) * size[0] + i]);
  for (let k = 0; k < size[2]; k++) {
    for (let j = 0; j < size[1]; j++) {
      for (let i = 0; i < size[0]; i++) {
        const at = (k * size[1] + j) * size[0] + i;
        if (state[at] !== UNSEEN || !SIDES.some(([a, b, c]) => isEmpty(i + a, j + b, k + c))) continue;
        const normal: Vec3 = [0, 0, 0];
        let measured = 0;
        for (let c = -1; c <= 1; c++) {
          for (let b = -1; b <= 1; b++) {
            for (let a = -1; a <= 1; a++) {
              if (!isEmpty(i + a, j + b, k + c)) {
                if (state[at + a + size[0] * (b + size[1] * c)] === SURFACE) measured++;
                continue;
              }
              normal[0] += a;
              normal[1] += b;
              normal[2] += c;
            }
          }
        }
        if (measured >= MEASURED || normal.every((v) => v === 0)) continue;
        out.index.push(at);
        out.middles.push([origin[0] + (i + 0.5) * cell, origin[1] + (j + 0.5) * cell, origin[2] + (k + 0.5) * cell]);
        out.normals.push(normalize3(normal));
      }
    }
  }
  return patchesOnly(grid, out);
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
  };
}

/** What a sensor can measure: distances, mm, and cosines of incidence and of the angle to where it looks. */
interface SightLimits {
  near: number;
  far: number;
  leastFacing: number;
  leastAxial: number;
}

/** Those of the cells that a sensor at `eye` looking at `target` would meet first, square enough and within reach. */
function seenFrom(grid: SightGrid, cells: BorderCells, eye: Vec3, target: Vec3, limits: SightLimits): number[] {
  const out: number[] = [];
  const backwards = normalize3([eye[0] - target[0], eye[1] - target[1], eye[2] - target[2]]);
  for (let c = 0; c < cells.index.length; c++) {
    const m = cells.middles[c];
    const towards: Vec3 = [eye[0] - m[0], eye[1] - m[1], eye[2] - m[2]];
    const distance = Math.hypot(...towards);
    if (distance < limits.near || distance > limits.far) continue;
    const back = normalize3(towards);
    if (dot3(back, cells.normals[c]) < limits.leastFacing || dot3(back, backwards) < limits.leastAxial) continue;
    if (firstSolid(grid, eye, m) === cellAt(grid, ...m)) out.push(c);
  }
  return out;
}

/** The setup whose sensors mostly stood on the side of a direction. */
function setupFor(
  placed: readonly { scan: Scan; placement: Placement; setup: string }[],
  target: Vec3,
  direction: Vec3,
): string | undefined {
  const sums = new Map<string, Vec3>();
  for (const { scan, placement, setup } of placed) {
    for (const eye of sensorPositions(scan)) {
      const at = transformPoint(placement.pieceFromScan, ...eye);
      const d = normalize3([at[0] - target[0], at[1] - target[1], at[2] - target[2]]);
      const sum = sums.get(setup) ?? [0, 0, 0];
      for (let k = 0; k < 3; k++) sum[k] += d[k];
      sums.set(setup, sum);
    }
  }
  let best: { setup: string; cosine: number } | undefined;
  for (const [setup, sum] of sums) {
    const cosine = dot3(normalize3(sum), direction);
    if (!best || cosine > best.cosine) best = { setup, cosine };
  }
  return best && best.cosine > SAME_SIDE ? best.setup : undefined;
}

function middleOf({ origin, size, cell }: SightGrid): Vec3 {
  return [origin[0] + (size[0] * cell) / 2, origin[1] + (size[1] * cell) / 2, origin[2] + (size[2] * cell) / 2];
}

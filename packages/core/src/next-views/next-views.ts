import type { Placement, Scan } from '../geometry/scan.js';
import { sensorPositions } from '../geometry/scan.js';
import { dot3, normalize3, transformPoint, type Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { outlineOf } from './outline.js';
import { spreadDirections } from '../math/spread-directions.js';
import { presumeSurface, solidityOf } from './presumed-surface.js';
import { borderCells, LEAST_PATCH, type BorderCells } from './border-cells.js';
import { buildSightGrid, firstSolid, type SightGrid } from './sight-grid.js';

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
  /** Area that was measured thinly and it would see again, about, mm². */
  thinGain: number;
  /** Share of all unseen area (and half of the thin) that can be reached from anywhere (0–1). */
  share: number;
  /** The setup whose sensors stood on this side, or undefined if the piece must be laid down anew. */
  setup?: string;
  /** Middles of the unseen and thin cells that it would see, 3n. */
  sees: Float32Array;
  /** Outlines of what it would see, segments of 6 numbers. */
  outline: Float32Array;
}

export interface NextViews {
  views: NextView[];
  /** Area that no scan has seen and some view could, about, mm². */
  unseen: number;
  /** Area that was measured thinly and some view could see again, about, mm². */
  thin: number;
}

/** Directions that are tried, evenly over the ball. */
const DIRECTIONS = 180;
/** Guesses where the surface runs on: cells more likely solid than this are. What is good by all of them is advised. */
const LEVELS = [0.25, 0.5, 0.75];
const MIDDLE = 1;
const MOST_VIEWS = 5;
/** Views that add less than this share of all unseen are not worth a scan. */
const LEAST_SHARE = 0.04;
/** A thin place counts for so much of an unseen one. */
const THIN_VALUE = 0.5;
/** Cosine to a setup's usual direction from which on it can reach a view: the support hides what is below. */
const SAME_SIDE = 0.1;

/**
 * From where to scan next: unseen cells, as far as they may be solid (`presumeSurface`, by several guesses), and thinly
 * measured ones that border on open ones are what a scanner could still see. For directions all round it is counted how
 * many of them it would meet first, facing it enough; the best on the mean of the guesses is taken, what it sees is
 * struck off, and so on.
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
  if (!grid) return { views: [], unseen: 0, thin: 0 };
  const solid = solidityOf(grid);
  const guesses = LEVELS.map((level): Guess => {
    const presumed = presumeSurface(grid, solid, level);
    return { grid: presumed, cells: borderCells(presumed) };
  });
  const target = middleOf(grid);
  const cosineOf = (degrees: number): number => Math.cos((degrees * Math.PI) / 180);
  const limits = { near, far, leastFacing: cosineOf(maxIncidence), leastAxial: cosineOf(fieldOfView / 2) };
  const candidates = spreadDirections(DIRECTIONS).map((d, k) => {
    ctx.checkpoint(k / DIRECTIONS, 'Looking round the piece');
    const eye: Vec3 = [target[0] + distance * d[0], target[1] + distance * d[1], target[2] + distance * d[2]];
    return { eye, direction: d, sees: guesses.map((g) => seenFrom(g, eye, target, limits)) };
  });
  const reachable = guesses.map((_, g) => new Set(candidates.flatMap((c) => c.sees[g])));
  // What counts is the mean over the guesses; what is shown and measured is the middle one.
  const valueOf = (seen: readonly Iterable<number>[]): number =>
    seen.reduce((sum, cells, g) => sum + valueIn(guesses[g].cells, cells), 0) / guesses.length;
  const middle = guesses[MIDDLE];
  const area = grid.cell ** 2;
  const areaOf = (seen: Iterable<number>, thin: boolean): number =>
    area * [...seen].filter((c) => middle.cells.thin[c] === thin).length;
  const worth = valueOf(reachable);
  const left = reachable.map((cells) => new Set(cells));
  const views: NextView[] = [];
  while (views.length < MOST_VIEWS) {
    let best = { sees: guesses.map((): number[] => []), value: 0, candidate: candidates[0] };
    for (const candidate of candidates) {
      const sees = candidate.sees.map((cells, g) => cells.filter((c) => left[g].has(c)));
      const value = valueOf(sees);
      if (value > best.value) best = { sees, value, candidate };
    }
    if (best.value < Math.max(LEAST_PATCH, LEAST_SHARE * worth)) break;
    best.sees.forEach((cells, g) => cells.forEach((c) => left[g].delete(c)));
    const shown = best.sees[MIDDLE];
    views.push({
      eye: best.candidate.eye,
      target,
      gain: areaOf(shown, false),
      thinGain: areaOf(shown, true),
      share: best.value / worth,
      setup: setupFor(placed, target, best.candidate.direction),
      sees: Float32Array.from(shown.flatMap((c) => middle.cells.middles[c])),
      outline: outlineOf(
        middle.grid,
        shown.map((c) => middle.cells.index[c]),
      ),
    });
  }
  return { views, unseen: areaOf(reachable[MIDDLE], false), thin: areaOf(reachable[MIDDLE], true) };
}

/** Where the surface may run on in unseen space, and what of it a scanner could still show. */
interface Guess {
  grid: SightGrid;
  cells: BorderCells;
}

function valueIn({ thin }: BorderCells, seen: Iterable<number>): number {
  let sum = 0;
  for (const c of seen) sum += thin[c] ? THIN_VALUE : 1;
  return sum;
}

/** What a sensor can measure: distances, mm, and cosines of incidence and of the angle to where it looks. */
interface SightLimits {
  near: number;
  far: number;
  leastFacing: number;
  leastAxial: number;
}

/** Those of the cells that a sensor at `eye` looking at `target` would meet first, square enough and within reach. */
function seenFrom({ grid, cells }: Guess, eye: Vec3, target: Vec3, limits: SightLimits): number[] {
  const out: number[] = [];
  const backwards = normalize3([eye[0] - target[0], eye[1] - target[1], eye[2] - target[2]]);
  for (let c = 0; c < cells.index.length; c++) {
    const m = cells.middles[c];
    const towards: Vec3 = [eye[0] - m[0], eye[1] - m[1], eye[2] - m[2]];
    const distance = Math.hypot(...towards);
    if (distance < limits.near || distance > limits.far) continue;
    const back = normalize3(towards);
    if (dot3(back, cells.normals[c]) < limits.leastFacing || dot3(back, backwards) < limits.leastAxial) continue;
    const first = firstSolid(grid, eye, m);
    // Measured surface is up to two cells thick: a point of it may lie in the second.
    if (first === cells.index[c] || (cells.thin[c] && areBeside(grid, first, cells.index[c]))) out.push(c);
  }
  return out;
}

/** Whether two cells touch, at a corner at least. */
function areBeside({ size }: SightGrid, a: number, b: number): boolean {
  const apart = (x: number, y: number): boolean => Math.abs(x - y) > 1;
  const [nx, nxy] = [size[0], size[0] * size[1]];
  if (apart(a % nx, b % nx) || apart(Math.floor(a / nxy), Math.floor(b / nxy))) return false;
  return !apart(Math.floor(a / nx) % size[1], Math.floor(b / nx) % size[1]);
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

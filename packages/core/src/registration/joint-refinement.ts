import type { PointCloud } from '../geometry/point-cloud.js';
import { boxOf } from './cloud-measures.js';
import { invertRigid, multiply, transformPoint, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import type { RunContext } from '../runtime/run-context.js';
import type { PointGrid } from '../spatial/point-grid.js';
import { twistAbout } from './icp.js';
import { accumulatePointToPlane, createPairSystem, type PairSystem } from './point-to-plane.js';

/** A cloud that takes part in joint refinement; needs normals. */
export interface RefinementScan {
  cloud: PointCloud;
  grid: PointGrid;
  sample: Uint32Array;
  /** See `surfaceTrust`. */
  trust?: Float32Array;
  /** Of a scan that its flat faces hold: 1 for the points on them. */
  onFace?: Uint8Array;
  /** Of such a scan: by how much its crisp edges err together, one standard deviation, mm. */
  edgesErr?: number;
}

export interface RefineJointlyOptions {
  /** Search distance and Tukey limit at the start and at the end, mm; both shrink geometrically. */
  startDistance: number;
  endDistance: number;
  endTukey: number;
  maxIterations: number;
  /** Source points tried per pair; more of scans that their faces hold. */
  samples: number;
  /** Stops early once no scan moves more than this share of the end distance, at the final distances. */
  tolerance: number;
  /** Share of the usual information that draws every scan back to where it began: what nothing else holds stays. */
  hold: number;
  /** Pairs that may overlap; all if it is left away. */
  pairs?: readonly [number, number][];
}

export const REFINE_JOINTLY_DEFAULTS: Omit<RefineJointlyOptions, 'startDistance' | 'endDistance' | 'endTukey'> = {
  maxIterations: 24,
  samples: 3000,
  tolerance: 0.0003,
  hold: 1e-7,
};

/** How two scans lie on each other at the end. */
export interface PairResidual {
  a: number;
  b: number;
  /** Weighted root mean square distance to the partner's plane, mm. */
  rms: number;
  /** Share of the tried points that found a partner (0–1), the better of both directions. */
  overlapRatio: number;
}

export interface RefineJointlyResult {
  pieceFromScan: Mat4[];
  residuals: PairResidual[];
  iterations: number;
  converged: boolean;
  /** Largest movement of a scan in each iteration, mm. */
  moved: number[];
}

/**
 * Registers all scans together so that the error spreads evenly: at each iteration every overlapping pair gives the
 * 6×6 information of its point-to-plane errors, and one linear system moves all scans at once, the `fixed` ones
 * excepted. This is the pose graph over all pairs, its edges measured anew in every iteration.
 *
 * Sources: K. Pulli (1999), Multiview registration for large data sets; F. Lu, E. Milios (1997), Globally consistent
 * range scan alignment for environment mapping (the graph); point-to-plane error and Tukey weights as in
 * `accumulatePointToPlane`. O(pairs · samples · neighbours + scans³) an iteration.
 *
 * @param start pieceFromScan for each scan
 * @param fixed scans that stay where they are; at least one, or the whole is free to drift
 */
export function refineJointly(
  scans: RefinementScan[],
  start: Mat4[],
  fixed: readonly number[],
  options: Partial<RefineJointlyOptions> & Pick<RefineJointlyOptions, 'startDistance' | 'endDistance' | 'endTukey'>,
  ctx: RunContext,
): RefineJointlyResult {
  const o = { ...REFINE_JOINTLY_DEFAULTS, ...options };
  const n = scans.length;
  const poses = start.slice();
  const centre = middle(scans, poses);
  const size = 6 * n;
  const H = new Float64Array(size * size);
  const g = new Float64Array(size);
  const system = createPairSystem();
  let edges: Edge[] = [];
  let iterations = 0;
  let converged = false;
  const history: number[] = [];
  const shrinking = Math.max(1, Math.round(0.5 * o.maxIterations));

  for (; iterations < o.maxIterations && !converged; iterations++) {
    ctx.checkpoint(iterations / o.maxIterations);
    const t = Math.min(1, iterations / shrinking);
    const maxDistance = o.startDistance * (o.endDistance / o.startDistance) ** t;
    const tukey = o.startDistance * (o.endTukey / o.startDistance) ** t;
    // Which pairs overlap, and with which points, is looked at anew now and then; in between only those are followed.
    const seeking = iterations % SEEK_EVERY === 0;
    const next: Edge[] = [];
    H.fill(0);
    g.fill(0);
    for (const edge of seeking ? edgesOf(o.pairs ?? allPairs(n), scans, o.samples) : edges) {
      for (const side of edge.sides) {
        const s = scans[side.source];
        const target = scans[side.target];
        const targetFromPiece = invertRigid(poses[side.target]);
        accumulatePointToPlane(
          s.cloud,
          seeking ? s.sample : side.points,
          seeking ? side.points.length : side.count,
          target.cloud,
          target.grid,
          multiply(targetFromPiece, poses[side.source]),
          transformPoint(targetFromPiece, centre[0], centre[1], centre[2]),
          { maxDistance, tukey, minNormalCosine: 0.8, sourceTrust: s.trust, targetTrust: target.trust },
          system,
          seeking ? side.points : undefined,
        );
        if (seeking) {
          side.count = system.pairs;
          edge.overlapRatio = Math.max(edge.overlapRatio, system.tried ? system.pairs / system.tried : 0);
        }
        side.rms = system.weight > 0 ? Math.sqrt(system.energy / system.weight) : 0;
        if (system.pairs >= 20) addPair(H, g, size, side.source, side.target, poses[side.target], system);
      }
      if (edge.overlapRatio > 0.03) next.push(edge);
    }
    edges = next;
    const moved = solveAndMove(H, g, size, fixed, poses, start, centre, scans, o.hold);
    history.push(moved);
    converged = t === 1 && moved < o.tolerance * o.endDistance;
  }
  const residuals = edges.map(({ overlapRatio, sides }) => ({
    a: sides[0].source,
    b: sides[0].target,
    rms: Math.max(sides[0].rms, sides[1].rms),
    overlapRatio,
  }));
  return { pieceFromScan: poses, residuals, iterations, converged, moved: history };
}

const SEEK_EVERY = 6;
/** What the faces of a scan leave free its edges hold, if weakly: it is drawn back to where it began by so much of the usual. */
const HELD_BY_EDGES = 0.1;

/** Where edges hold a scan they are few among the points of its faces: so many times the usual number is tried. */
const MORE_FOR_EDGES = 3;

/** How many of a scan's points are tried for each pair. */
export function pointsTried(scan: RefinementScan, samples: number): number {
  return Math.min(scan.sample.length, scan.onFace ? MORE_FOR_EDGES * samples : samples);
}

/** Two scans that may overlap, looked at from both sides, with the points that have partners. */
interface Edge {
  overlapRatio: number;
  sides: { source: number; target: number; points: Uint32Array; count: number; rms: number }[];
}

function allPairs(n: number): [number, number][] {
  const out: [number, number][] = [];
  for (let a = 0; a < n; a++) for (let b = a + 1; b < n; b++) out.push([a, b]);
  return out;
}

function edgesOf(pairs: readonly [number, number][], scans: readonly RefinementScan[], samples: number): Edge[] {
  const side = (source: number, target: number): Edge['sides'][number] => ({
    source,
    target,
    points: new Uint32Array(pointsTried(scans[source], samples)),
    count: 0,
    rms: 0,
  });
  return pairs.map(([a, b]) => ({ overlapRatio: 0, sides: [side(a, b), side(b, a)] }));
}

/** Adds one pair's information, turned from the target's frame into the piece's frame. */
function addPair(
  H: Float64Array,
  g: Float64Array,
  size: number,
  i: number,
  j: number,
  pose: Mat4,
  s: PairSystem,
): void {
  const turn = (row: number, from: Float64Array, at: number, stride: number, out: Float64Array): void => {
    // out[r..r+2] = R · from[at, at+stride, at+2·stride]
    for (let r = 0; r < 3; r++) {
      out[row + r] = pose[r] * from[at] + pose[4 + r] * from[at + stride] + pose[8 + r] * from[at + 2 * stride];
    }
  };
  const half = new Float64Array(36);
  const column = new Float64Array(6);
  for (let c = 0; c < 6; c++) {
    turn(0, s.information, c, 6, column);
    turn(3, s.information, 18 + c, 6, column);
    for (let r = 0; r < 6; r++) half[r * 6 + c] = column[r];
  }
  const M = new Float64Array(36);
  for (let r = 0; r < 6; r++) {
    turn(0, half, r * 6, 1, column);
    turn(3, half, r * 6 + 3, 1, column);
    for (let c = 0; c < 6; c++) M[r * 6 + c] = column[c];
  }
  turn(0, s.gradient, 0, 1, column);
  turn(3, s.gradient, 3, 1, column);
  for (let r = 0; r < 6; r++) {
    g[6 * i + r] += column[r];
    g[6 * j + r] -= column[r];
    for (let c = 0; c < 6; c++) {
      const v = M[r * 6 + c];
      H[(6 * i + r) * size + 6 * i + c] += v;
      H[(6 * j + r) * size + 6 * j + c] += v;
      H[(6 * i + r) * size + 6 * j + c] -= v;
      H[(6 * j + r) * size + 6 * i + c] -= v;
    }
  }
}

/** Solves for all twists with the scans `fixed` held, moves the poses in place. @returns the largest movement, mm */
function solveAndMove(
  H: Float64Array,
  g: Float64Array,
  size: number,
  fixed: readonly number[],
  poses: Mat4[],
  start: Mat4[],
  centre: number[],
  scans: RefinementScan[],
  hold: number,
): number {
  // Turns and shifts have different units: each is held by its own kind's usual information.
  const usual = [0, 0];
  for (let d = 0; d < size; d++) usual[d % 6 < 3 ? 0 : 1] += H[d * size + d] / (size / 2);
  const x = new Float64Array(size);
  let strayed: number[] = [];
  for (let d = 0; d < size; d++) {
    x[d] = -g[d];
    const own = scans[Math.floor(d / 6)].onFace ? HELD_BY_EDGES * hold : hold;
    const weight = own * usual[d % 6 < 3 ? 0 : 1];
    if (d % 6 === 0) strayed = strayedFrom(start[d / 6], poses[d / 6], centre);
    x[d] -= weight * strayed[d % 6];
    H[d * size + d] += weight + 1e-9;
  }
  for (const scan of fixed) {
    for (let r = 6 * scan; r < 6 * scan + 6; r++) {
      for (let c = 0; c < size; c++) H[r * size + c] = H[c * size + r] = 0;
      H[r * size + r] = 1;
      x[r] = 0;
    }
  }
  if (!solveCholeskyInPlace(H, x, size)) return 0;
  let moved = 0;
  for (let i = 0; i < poses.length; i++) {
    if (fixed.includes(i)) continue;
    poses[i] = multiply(twistAbout(x, 6 * i, centre), poses[i]);
    const b = boxOf(scans[i].cloud);
    const radius = Math.hypot(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]) / 2;
    moved = Math.max(
      moved,
      Math.hypot(x[6 * i], x[6 * i + 1], x[6 * i + 2]) * radius + Math.hypot(x[6 * i + 3], x[6 * i + 4], x[6 * i + 5]),
    );
  }
  return moved;
}

/** The small motion about a centre that a pose has made since its start: turn, then shift. */
function strayedFrom(start: Mat4, pose: Mat4, centre: number[]): number[] {
  const d = multiply(pose, invertRigid(start));
  const [x, y, z] = centre;
  const to = transformPoint(d, x, y, z);
  return [0.5 * (d[6] - d[9]), 0.5 * (d[8] - d[2]), 0.5 * (d[1] - d[4]), to[0] - x, to[1] - y, to[2] - z];
}

function middle(scans: RefinementScan[], poses: Mat4[]): number[] {
  const c = [0, 0, 0];
  scans.forEach((s, i) => {
    const b = boxOf(s.cloud);
    const m = transformPoint(poses[i], (b.min[0] + b.max[0]) / 2, (b.min[1] + b.max[1]) / 2, (b.min[2] + b.max[2]) / 2);
    for (let k = 0; k < 3; k++) c[k] += m[k] / scans.length;
  });
  return c;
}

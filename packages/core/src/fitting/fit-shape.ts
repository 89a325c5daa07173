import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { choleskyInPlace, solveCholeskyInPlace, solveWithCholesky } from '../math/solve.js';
import { dot3, type Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { correlationFactor } from './correlated-errors.js';
import { FREEDOMS, onAxis, ShapeDistance, type Shape, type ShapeKind } from './shape.js';
import { meanOf, startingShapes, type SurfacePoints } from './starting-shapes.js';

/** Measured points of a surface. */
export interface MeasuredPoints extends SurfacePoints {
  /** One standard deviation of each, mm; NaN where nothing tells. */
  expectedErrors?: Float32Array;
}

/** Standard uncertainties (one standard deviation) of a fitted shape. */
export interface ShapeUncertainty {
  /** Of the place, mm: for a plane along its normal, for an axis across it, taken at the middle of the points. */
  at: number;
  /** Of the direction, radians. */
  axisRad: number;
  radius: number;
  tubeRadius: number;
  halfAngleRad: number;
}

export interface ShapeFit {
  /** `at` is the place nearest to the middle of the points. */
  shape: Shape;
  uncertainty: ShapeUncertainty;
  /** Root mean square distance of the used points, mm. */
  rms: number;
  /** From the lowest to the highest used point, mm: flatness, roundness, cylindricity against the fitted shape. */
  form: number;
  /** Points that the shape was fitted to; the others lie off it by more than noise explains. */
  used: number;
  total: number;
  /** 1 where a point was used. */
  isUsed: Uint8Array;
  converged: boolean;
}

/** So many points are looked at to find the place; all count in the end. */
const FIRST_LOOK = 400;
/** … and so many to find where to begin. */
const GLANCE = 150;
/** Beyond so many standard deviations a point does not belong to the shape: one in two thousand that does. */
const CUT = 3.5;
/** Weights fall off beyond so many standard deviations while the place is still rough (P. Huber, 1964). */
const HUBER = 1.345;
/** Standard deviations in a median distance of normal errors. */
const SIGMAS_IN_MEDIAN = 0.6745;
/** Least points for each freedom. */
const LEAST_A_FREEDOM = 3;
const ITERATIONS = 60;

/**
 * Fits a shape to points by least squares of their distances, robustly: what lies off by more than noise explains is left
 * out. Distances are orthogonal ones (ISO 1101 asks for no other), with Gauss and Newton's method, damped where it
 * would overshoot. Uncertainties are those of the least-squares estimate from the scatter left over, enlarged where
 * neighbouring distances go together, by what the points' expected errors say beyond the scatter, and by how far strays on one
 * side pull.
 *
 * Sources: A. Forbes (1991), Least-squares best-fit geometric elements; D. Marquardt (1963), An algorithm for
 * least-squares estimation of nonlinear parameters; P. Huber (1964), Robust estimation of a location parameter.
 * @param axis of a circle; no other kind needs one
 * @throws GeometryError `degenerate` where the points leave the shape open
 */
export function fitShape(kind: ShapeKind, points: MeasuredPoints, axis?: Vec3): ShapeFit {
  const total = points.positions.length / 3;
  const least = LEAST_A_FREEDOM * FREEDOMS[kind].length;
  if (total < least)
    throw new GeometryError('degenerate', `A ${kind} needs at least ${least} points; there are ${total}.`);
  const few = total > FIRST_LOOK ? thinned(points, FIRST_LOOK) : points;
  let best: { shape: Shape; scale: number } | undefined;
  const glance = total > GLANCE ? thinned(points, GLANCE) : points;
  for (const start of startingShapes(kind, glance, axis)) {
    const found = settleRobustly(start, few.positions);
    if (found && (!best || found.scale < best.scale)) best = found;
  }
  if (!best)
    throw new GeometryError(
      'degenerate',
      `These points leave a ${kind} open: they lie in a line or a plane, or too close together.`,
    );
  const weights = weightsOf(points.expectedErrors, total);
  return finish(best.shape, points, weights);
}

/** Refines a shape that is about right: no search. @throws GeometryError `degenerate` */
export function refineShape(start: Shape, points: MeasuredPoints): ShapeFit {
  const total = points.positions.length / 3;
  if (total < LEAST_A_FREEDOM * FREEDOMS[start.kind].length)
    throw new GeometryError('degenerate', `There are only ${total} points for a ${start.kind}.`);
  return finish(start, points, weightsOf(points.expectedErrors, total));
}

/** A shape that is about right moved to where points lie, roughly and fast, for one that is going to be fitted properly. */
export function followPoints(start: Shape, points: MeasuredPoints): Shape {
  const few = points.positions.length / 3 > FIRST_LOOK ? thinned(points, FIRST_LOOK) : points;
  const found = settleRobustly(start, few.positions, 3);
  if (!found) throw openShape(start.kind);
  return found.shape;
}

/** Huber's weights, the scale from the median, until the place stands still. */
function settleRobustly(
  start: Shape,
  positions: Float32Array,
  rounds = 20,
): { shape: Shape; scale: number } | undefined {
  const n = positions.length / 3;
  const weights = new Float64Array(n).fill(1);
  let shape = start;
  let scale = Infinity;
  for (let round = 0; round < rounds; round++) {
    const next = descend(shape, positions, weights, round < 3 ? 10 : 4);
    if (!next) return undefined;
    shape = next.shape;
    const off = distancesOf(shape, positions);
    const now = robustScale(off);
    for (let i = 0; i < n; i++) {
      const z = Math.abs(off[i]) / Math.max(now, 1e-12);
      weights[i] = z > HUBER ? HUBER / z : 1;
    }
    if (Math.abs(now - scale) <= 1e-4 * now) return { shape, scale: now };
    scale = now;
  }
  return { shape, scale };
}

function finish(start: Shape, points: MeasuredPoints, base: Float64Array): ShapeFit {
  const { positions } = points;
  const total = positions.length / 3;
  const isUsed = new Uint8Array(total).fill(1);
  const weights = base.slice();
  let shape = start;
  let converged = false;
  const extent = extentOf(positions);
  let cut = Infinity;
  for (let round = 0; round < 12; round++) {
    const off = distancesOf(shape, positions);
    cut = Math.max(CUT * robustScale(off), 1e-6 * extent);
    let changed = 0;
    for (let i = 0; i < total; i++) {
      const use = Math.abs(off[i]) <= cut ? 1 : 0;
      if (use !== isUsed[i]) changed++;
      isUsed[i] = use;
      weights[i] = use ? base[i] : 0;
    }
    const next = descend(shape, positions, weights, ITERATIONS);
    if (!next) throw openShape(shape.kind);
    ({ shape, converged } = next);
    if (round > 0 && changed <= total / 1000) break;
  }
  shape = centred(shape, positions, isUsed);
  return { shape, ...judge(shape, points, weights, isUsed, cut), total, isUsed, converged };
}

const openShape = (kind: ShapeKind): GeometryError =>
  new GeometryError('degenerate', `These points leave a ${kind} open. Choose a larger part of it, or another shape.`);

/** Damped Gauss–Newton steps. @returns undefined where the points leave a freedom open */
function descend(
  start: Shape,
  positions: Float32Array,
  weights: Float64Array,
  most: number,
): { shape: Shape; converged: boolean } | undefined {
  let shape = start;
  let damping = 1e-6;
  let system = normalEquations(shape, positions, weights);
  for (let k = 0; k < most; k++) {
    const n = system.free.length;
    const a = system.a.slice();
    for (let i = 0; i < n; i++) a[i * n + i] *= 1 + damping;
    const step = system.b.slice();
    if (!solveCholeskyInPlace(a, step, n)) return undefined;
    const by = new Float64Array(7);
    system.free.forEach((f, i) => (by[f] = -step[i]));
    const tried = new ShapeDistance(shape).moved(by);
    if (!plausible(tried)) {
      damping = Math.max(damping * 10, 1e-3);
      if (damping > 1e8) return undefined;
      continue;
    }
    const next = normalEquations(tried, positions, weights);
    const gain = system.cost - next.cost;
    if (gain >= 0) {
      shape = tried;
      damping = Math.max(1e-9, damping / 10);
      const still = gain <= 1e-12 * system.cost || next.cost <= 1e-24;
      system = next;
      if (still) return { shape, converged: true };
    } else {
      if (-gain <= 1e-13 * system.cost) return { shape, converged: true };
      damping = Math.max(damping * 10, 1e-4);
      if (damping > 1e8) return { shape, converged: true };
    }
  }
  return { shape, converged: false };
}

/** Sizes that no shape can have are steps too far. */
function plausible({ kind, radius, tubeRadius, halfAngle }: Shape): boolean {
  if (kind === 'plane') return true;
  if (kind === 'cone') return radius > 0 && Math.abs(halfAngle) < 1.5;
  return radius > 0 && (kind !== 'torus' || tubeRadius > 0) && radius < 1e7;
}

interface NormalEquations {
  a: Float64Array;
  b: Float64Array;
  cost: number;
  free: readonly number[];
}

function normalEquations(shape: Shape, p: Float32Array, weights: Float64Array): NormalEquations {
  const free = FREEDOMS[shape.kind];
  const n = free.length;
  const distance = new ShapeDistance(shape);
  const { slope } = distance;
  const a = new Float64Array(n * n);
  const b = new Float64Array(n);
  let cost = 0;
  for (let i = 0; i < weights.length; i++) {
    const w = weights[i];
    if (w === 0) continue;
    const d = distance.at(p[3 * i], p[3 * i + 1], p[3 * i + 2]);
    cost += w * d * d;
    for (let r = 0; r < n; r++) {
      const s = w * slope[free[r]];
      b[r] += s * d;
      for (let c = 0; c <= r; c++) a[r * n + c] += s * slope[free[c]];
    }
  }
  return { a, b, cost, free };
}

/** Moves the shape's place along what it may slide on to the middle of the points. */
function centred(shape: Shape, positions: Float32Array, isUsed: Uint8Array): Shape {
  if (shape.kind === 'sphere' || shape.kind === 'torus' || shape.kind === 'circle') return shape;
  const middle = meanOf(positions.filter((_, i) => isUsed[Math.floor(i / 3)] === 1));
  if (shape.kind === 'plane') {
    const off = dot3(shape.axis, middle) - dot3(shape.axis, shape.at);
    return { ...shape, at: middle.map((c, k) => c - off * shape.axis[k]) as Vec3 };
  }
  const at = onAxis(shape, middle);
  const along = dot3(shape.axis, at) - dot3(shape.axis, shape.at);
  return { ...shape, at, radius: shape.radius + along * Math.tan(shape.halfAngle) };
}

/** Scatter, form and uncertainties of the shape as it stands. */
function judge(
  shape: Shape,
  points: MeasuredPoints,
  weights: Float64Array,
  isUsed: Uint8Array,
  cut: number,
): { rms: number; form: number; used: number; uncertainty: ShapeUncertainty } {
  const { positions } = points;
  const off = distancesOf(shape, positions);
  let used = 0;
  let squares = 0;
  let weighted = 0;
  let low = Infinity;
  let high = -Infinity;
  for (let i = 0; i < off.length; i++) {
    if (!isUsed[i]) continue;
    used++;
    squares += off[i] * off[i];
    weighted += weights[i] * off[i] * off[i];
    if (off[i] < low) low = off[i];
    if (off[i] > high) high = off[i];
  }
  const { a, free } = normalEquations(shape, positions, weights);
  const n = free.length;
  if (used <= n || !choleskyInPlace(a, n)) throw openShape(shape.kind);
  const variance = (weighted / (used - n)) * correlationFactor(positions, off, isUsed);
  const of = new Float64Array(7);
  free.forEach((f, i) => {
    const column = new Float64Array(n);
    column[i] = 1;
    solveWithCholesky(a, column, n);
    of[f] = column[i] * variance;
  });
  // What the points are expected to be wrong by, beyond what their scatter shows, they have in common.
  const common = commonError(points.expectedErrors, isUsed, squares / used) + pullOfStrays(off, isUsed, cut) ** 2;
  const reach = Math.max(extentOf(positions) / 2, 1e-9);
  const root = (v: number, shared: number): number => Math.sqrt(v + shared);
  const has = (f: number): boolean => free.includes(f);
  return {
    used,
    rms: Math.sqrt(squares / used),
    form: high - low,
    uncertainty: {
      at: root(of[0] + of[1] + of[2], common),
      axisRad: has(3) ? root(of[3] + of[4], common / reach ** 2) : 0,
      radius: has(5) ? root(of[5], common) : 0,
      tubeRadius: shape.kind === 'torus' ? root(of[6], common) : 0,
      halfAngleRad: shape.kind === 'cone' ? root(of[6], common / reach ** 2) : 0,
    },
  };
}

/**
 * How far points that do not belong to the shape pull it, mm. Where some lie just beyond the cut on one side, about as many lie
 * within it for each mm, unseen among those that belong.
 */
function pullOfStrays(off: Float64Array, isUsed: Uint8Array, cut: number): number {
  let used = 0;
  let sided = 0;
  for (let i = 0; i < off.length; i++) {
    if (isUsed[i]) used++;
    else if (Math.abs(off[i]) <= 3 * cut) sided += Math.sign(off[i]);
  }
  // So many for each mm over twice the cut; those from the shape to the cut lie half of it off on average.
  return used > 0 && Number.isFinite(cut) ? (Math.abs(sided) * cut) / (4 * used) : 0;
}

/** Expected variance of the used points less the variance that was seen, at least 0. */
function commonError(errors: Float32Array | undefined, isUsed: Uint8Array, seen: number): number {
  if (!errors) return 0;
  let sum = 0;
  let count = 0;
  for (let i = 0; i < errors.length; i++) {
    if (!isUsed[i] || Number.isNaN(errors[i])) continue;
    sum += errors[i] * errors[i];
    count++;
  }
  return count > 0 ? Math.max(0, sum / count - seen) : 0;
}

/** Weights by expected error, 1 on average; 1 for all where nothing is known. */
function weightsOf(errors: Float32Array | undefined, n: number): Float64Array {
  const weights = new Float64Array(n).fill(1);
  if (!errors) return weights;
  const known = errors.filter((e) => e > 0).sort();
  if (known.length === 0) return weights;
  const middle = known[known.length >> 1];
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const e = errors[i] > 0 ? errors[i] : middle;
    // None counts for more than sixteen times the usual: expected errors are estimates too.
    weights[i] = (middle / Math.max(e, middle / 4)) ** 2;
    sum += weights[i];
  }
  for (let i = 0; i < n; i++) weights[i] *= n / sum;
  return weights;
}

/** Signed distances of points from a shape. */
export function distancesOf(shape: Shape, positions: Float32Array): Float64Array {
  const distance = new ShapeDistance(shape);
  const out = new Float64Array(positions.length / 3);
  for (let i = 0; i < out.length; i++)
    out[i] = distance.at(positions[3 * i], positions[3 * i + 1], positions[3 * i + 2]);
  return out;
}

/** Standard deviation of most of the values, from their median size. */
export function robustScale(values: Float64Array): number {
  const sizes = values.map(Math.abs).sort();
  return sizes[sizes.length >> 1] / SIGMAS_IN_MEDIAN;
}

const extentOf = (positions: Float32Array): number => diagonalOf(boundsOf(positions));

function thinned({ positions, normals }: MeasuredPoints, most: number): SurfacePoints {
  const step = positions.length / 3 / most;
  const pick = (from: Float32Array): Float32Array => {
    const out = new Float32Array(3 * most);
    for (let i = 0; i < most; i++) {
      const at = 3 * Math.floor(i * step);
      out.set(from.subarray(at, at + 3), 3 * i);
    }
    return out;
  };
  return { positions: pick(positions), normals: pick(normals) };
}

import {
  dot3,
  normalize3,
  perpendiculars,
  transformPoint,
  transformPoints,
  rotateVector,
  rotateVectors,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { turnAbout } from '../math/turn.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';

/** What the fixed sensor saw of the object at one stop of the table, without the table; in the sensor's frame. */
export interface TurntableStop {
  /** Degrees, as the table says. */
  angle: number;
  /** 3n, mm. */
  points: Float32Array;
  /** 3n, unit. */
  normals: Float32Array;
}

/** The line the table turns about, in the sensor's frame. */
export interface TurntableAxis {
  point: Vec3;
  /** Unit, upwards out of the table. */
  direction: Vec3;
  /** 1 if positive angles turn the object counter-clockwise seen from above, -1 if clockwise. */
  sense: 1 | -1;
  /** Root mean square distance between neighbouring stops after turning back, mm. */
  rms: number;
  /** Share of the points that have a partner in a neighbouring stop. */
  overlapRatio: number;
}

/** Takes what was seen at an angle back to where it was at angle 0 (both in the sensor's frame). */
export function turnedBack(axis: Pick<TurntableAxis, 'point' | 'direction' | 'sense'>, angle: number): Mat4 {
  return turnAbout(axis, (-axis.sense * angle * Math.PI) / 180);
}

/** Rounds of refinement, and how far apart partners may lie in each, mm: wide first, then as the noise allows. */
const REACHES = [12, 8, 5, 3, 2, 2, 1.5, 1.5];

/**
 * Finds the axis of a turntable from the object itself: no target is needed. The table's own plane gives the direction
 * to begin with; candidate places on it and both senses of turning are compared by how well neighbouring stops agree
 * once turned back; the best is refined over direction and place together (four unknowns, Gauss–Newton on point to
 * plane distances with Tukey weights). Objects round about the axis leave nothing to find and are refused.
 * O(candidates · sample + rounds · points).
 *
 * Sources: R. Bergevin, D. Laurendeau, D. Poussart (1995), Registering range views of multipart objects (axis from the
 * views themselves); Y. Chen, G. Medioni (1992), Object modelling by registration of multiple range images.
 * @param plane the table's top in the sensor's frame: normal · x = offset, normal upwards
 * @param reach the axis is looked for so far about `near`, mm
 * @throws GeometryError `empty-input` for fewer than three stops, `degenerate` if no axis explains them
 */
export function findTurntableAxis(
  stops: readonly TurntableStop[],
  plane: { normal: Vec3; offset: number },
  near: Vec3,
  reach: number,
  ctx: RunContext,
): TurntableAxis {
  if (stops.length < 3) throw new GeometryError('empty-input', 'An axis needs at least three stops of the table.');
  const direction = normalize3(plane.normal);
  const [e1, e2] = perpendiculars(direction);
  // Candidates lie on the table's top.
  const lift = plane.offset - dot3(direction, near);
  const base = offset(near, direction, lift);
  const coarse = stops.map((s) => thinned(s, 600));
  const grids = coarse.map((s) => new PointGrid(s.points, 8));
  let best: TurntableAxis | undefined;
  let score = -Infinity;
  const step = reach / 5;
  for (const sense of [1, -1] as const) {
    for (let i = -5; i <= 5; i++) {
      ctx.checkpoint((0.3 * (i + 5 + (sense === 1 ? 0 : 11))) / 22);
      for (let j = -5; j <= 5; j++) {
        const point = offset(offset(base, e1, i * step), e2, j * step);
        const axis: TurntableAxis = { point, direction, sense, rms: Infinity, overlapRatio: 0 };
        const agreeing = agreement(coarse, grids, axis, 1.3 * step);
        if (agreeing > score) {
          score = agreeing;
          best = axis;
        }
      }
    }
  }
  const fine = stops.map((s) => thinned(s, 4000));
  const fineGrids = fine.map((s) => new PointGrid(s.points, 3));
  let axis = best!;
  REACHES.forEach((limit, k) => {
    ctx.checkpoint(0.3 + (0.7 * k) / REACHES.length);
    // Partners further apart than the candidates' spacing are looked for in the first rounds only.
    axis = refine(fine, fineGrids, axis, Math.max(limit, k === 0 ? step : 0));
  });
  if (axis.overlapRatio < 0.2 || axis.rms > 1) {
    throw new GeometryError(
      'degenerate',
      `The stops agree about no axis (${(100 * axis.overlapRatio).toFixed(0)} % overlap, ${axis.rms.toFixed(2)} mm apart). Use smaller steps, or put a thing with more shape on the table to calibrate.`,
    );
  }
  return axis;
}

/** Pairs of stops that follow one another round the table. */
function neighbours(stops: readonly TurntableStop[]): [number, number][] {
  const order = stops.map((_s, i) => i).sort((a, b) => stops[a].angle - stops[b].angle);
  return order.map((s, i) => [s, order[(i + 1) % order.length]]);
}

/** Share of sampled points that find a partner with a like normal in the next stop. */
function agreement(stops: readonly TurntableStop[], grids: PointGrid[], axis: TurntableAxis, reach: number): number {
  let good = 0;
  let total = 0;
  for (const [a, b] of neighbours(stops)) {
    const m = turnedBack(axis, stops[a].angle - stops[b].angle);
    const p = transformPoints(m, stops[a].points);
    const n = rotateVectors(m, stops[a].normals);
    const q = stops[b].normals;
    for (let i = 0; i < p.length; i += 3) {
      total++;
      const k = grids[b].nearest(p[i], p[i + 1], p[i + 2], reach);
      if (k < 0) continue;
      const cos = n[i] * q[3 * k] + n[i + 1] * q[3 * k + 1] + n[i + 2] * q[3 * k + 2];
      if (cos > 0.8) good += cos * (1 - Math.sqrt(grids[b].foundSquared) / reach);
    }
  }
  return good / total;
}

/** One step of Gauss–Newton over tilt and place of the axis. */
function refine(
  stops: readonly TurntableStop[],
  grids: PointGrid[],
  axis: TurntableAxis,
  reach: number,
): TurntableAxis {
  const [e1, e2] = perpendiculars(axis.direction);
  const h = [1e-4, 1e-4, 1e-2, 1e-2];
  const moved = (x: ArrayLike<number>): TurntableAxis => ({
    ...axis,
    direction: normalize3(offset(offset(axis.direction, e1, x[0]), e2, x[1])),
    point: offset(offset(axis.point, e1, x[2]), e2, x[3]),
  });
  const A = new Float64Array(16);
  const b = new Float64Array(4);
  let squares = 0;
  let used = 0;
  let total = 0;
  for (const [s, t] of neighbours(stops)) {
    const angle = stops[s].angle - stops[t].angle;
    const m = turnedBack(axis, angle);
    const nudged = h.map((step, k) => turnedBack(moved(h.map((_v, i) => (i === k ? step : 0))), angle));
    const { points, normals } = stops[s];
    const target = stops[t];
    for (let i = 0; i < points.length; i += 3) {
      total++;
      const p = transformPoint(m, points[i], points[i + 1], points[i + 2]);
      const k = grids[t].nearest(p[0], p[1], p[2], reach);
      if (k < 0) continue;
      const n: Vec3 = [target.normals[3 * k], target.normals[3 * k + 1], target.normals[3 * k + 2]];
      if (dot3(rotateVector(m, normals[i], normals[i + 1], normals[i + 2]), n) < 0.8) continue;
      const r =
        n[0] * (p[0] - target.points[3 * k]) +
        n[1] * (p[1] - target.points[3 * k + 1]) +
        n[2] * (p[2] - target.points[3 * k + 2]);
      const u = r / reach;
      if (u * u >= 1) continue;
      const w = (1 - u * u) ** 2;
      squares += r * r;
      used++;
      const g = nudged.map((x, j) => {
        const v = transformPoint(x, points[i], points[i + 1], points[i + 2]);
        return (n[0] * (v[0] - p[0]) + n[1] * (v[1] - p[1]) + n[2] * (v[2] - p[2])) / h[j];
      });
      for (let a = 0; a < 4; a++) {
        b[a] -= w * g[a] * r;
        for (let c = 0; c <= a; c++) A[4 * a + c] += w * g[a] * g[c];
      }
    }
  }
  if (used < 100) return { ...axis, rms: Infinity, overlapRatio: used / Math.max(1, total) };
  // A round object says nothing about the place along which it is round: no step in that direction.
  for (let a = 0; a < 4; a++) A[5 * a] += 1e-6 * (1 + A[5 * a]);
  const found = { rms: Math.sqrt(squares / used), overlapRatio: used / total };
  return solveCholeskyInPlace(A, b, 4) ? { ...moved(b), ...found } : { ...axis, ...found };
}

const offset = (a: Vec3, d: Vec3, s: number): Vec3 => [a[0] + s * d[0], a[1] + s * d[1], a[2] + s * d[2]];

/** At most so many points of a stop, evenly taken. */
function thinned(s: TurntableStop, most: number): TurntableStop {
  const n = s.points.length / 3;
  const every = Math.max(1, n / most);
  const count = Math.floor(n / every);
  const points = new Float32Array(3 * count);
  const normals = new Float32Array(3 * count);
  for (let i = 0; i < count; i++) {
    const from = 3 * Math.floor(i * every);
    for (let k = 0; k < 3; k++) {
      points[3 * i + k] = s.points[from + k];
      normals[3 * i + k] = s.normals[from + k];
    }
  }
  return { angle: s.angle, points, normals };
}

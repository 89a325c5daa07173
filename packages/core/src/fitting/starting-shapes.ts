import { dot3, perpendiculars, type Vec3 } from '../math/mat4.js';
import { PlaneFit } from '../math/plane-fit.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { spreadDirections } from '../math/spread-directions.js';
import type { Shape, ShapeKind } from './shape.js';

/** Directions that are tried as axis: about 12° from one to the next. */
const DIRECTIONS = 180;
/** So many of the best are handed on. */
const BEST = 3;

const START: Omit<Shape, 'kind'> = { at: [0, 0, 0], axis: [0, 0, 1], radius: 0, tubeRadius: 0, halfAngle: 0 };

/** Points with unit normals, 3n each. */
export interface SurfacePoints {
  positions: Float32Array;
  normals: Float32Array;
}

/**
 * Shapes to begin with, the most promising first; none where the points leave a kind open. For shapes of revolution many
 * directions are tried as axis: where it passes is where the normals, seen along it, come together, and the rest is
 * linear. O(n) a direction.
 */
export function startingShapes(kind: ShapeKind, points: SurfacePoints, axis?: Vec3): Shape[] {
  if (kind === 'plane') return [planeOf(points.positions)];
  if (kind === 'sphere') return linearSphere(points.positions);
  if (kind === 'circle') return axis ? linearCircle(points.positions, axis) : [];
  return revolutionsOf(kind, points);
}

function planeOf(positions: Float32Array): Shape {
  const fit = new PlaneFit();
  for (let i = 0; i < positions.length; i += 3) fit.add(positions[i], positions[i + 1], positions[i + 2]);
  const { middle, normal } = fit.solve();
  return { ...START, kind: 'plane', at: middle, axis: normal };
}

/** |p|² = 2 p·c + (r² − |c|²), linear in c and the rest (I. Coope, 1993, Circle fitting by linear and nonlinear least squares). */
function linearSphere(positions: Float32Array): Shape[] {
  const [mx, my, mz] = meanOf(positions);
  const fit = new LinearFit(4);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i] - mx, positions[i + 1] - my, positions[i + 2] - mz];
    fit.add([2 * x, 2 * y, 2 * z, 1], x * x + y * y + z * z);
  }
  const s = fit.solve();
  if (!s) return [];
  const squared = s[3] + s[0] * s[0] + s[1] * s[1] + s[2] * s[2];
  if (!(squared > 0)) return [];
  return [{ ...START, kind: 'sphere', at: [mx + s[0], my + s[1], mz + s[2]], radius: Math.sqrt(squared) }];
}

/** The same in the plane across an axis. */
function linearCircle(positions: Float32Array, axis: Vec3): Shape[] {
  const middle = meanOf(positions);
  const [u, v] = perpendiculars(axis);
  const fit = new LinearFit(3);
  for (let i = 0; i < positions.length; i += 3) {
    const d: Vec3 = [positions[i] - middle[0], positions[i + 1] - middle[1], positions[i + 2] - middle[2]];
    const [x, y] = [dot3(d, u), dot3(d, v)];
    fit.add([2 * x, 2 * y, 1], x * x + y * y);
  }
  const s = fit.solve();
  if (!s) return [];
  const squared = s[2] + s[0] * s[0] + s[1] * s[1];
  if (!(squared > 0)) return [];
  const at = middle.map((c, k) => c + s[0] * u[k] + s[1] * v[k]) as Vec3;
  return [{ ...START, kind: 'circle', at, axis, radius: Math.sqrt(squared) }];
}

function revolutionsOf(kind: ShapeKind, points: SurfacePoints): Shape[] {
  const middle = meanOf(points.positions);
  const plane = planeOf(points.positions).axis;
  const around = axisAcrossNormals(points.normals);
  const tried = [...spreadDirections(2 * DIRECTIONS).slice(0, DIRECTIONS), plane, around];
  const found = tried.flatMap((axis) => revolutionAbout(kind, points, middle, axis));
  return found
    .sort((a, b) => a.misfit - b.misfit)
    .slice(0, BEST)
    .map(({ shape }) => shape);
}

/** The direction that changes least along the normals: the axis of a cylinder or a cone. */
function axisAcrossNormals(normals: Float32Array): Vec3 {
  const fit = new PlaneFit();
  for (let i = 0; i < normals.length; i += 3) fit.add(normals[i], normals[i + 1], normals[i + 2]);
  return fit.solve().normal;
}

/** A shape about an axis of a given direction, with its summed squared distance from the points. */
function revolutionAbout(
  kind: ShapeKind,
  { positions: p, normals: n }: SurfacePoints,
  middle: Vec3,
  axis: Vec3,
): { shape: Shape; misfit: number }[] {
  const [u, v] = perpendiculars(axis);
  const along = (i: number, d: Vec3): number =>
    (p[i] - middle[0]) * d[0] + (p[i + 1] - middle[1]) * d[1] + (p[i + 2] - middle[2]) * d[2];
  const count = p.length / 3;
  const seen = { u: new Float64Array(count), v: new Float64Array(count), t: new Float64Array(count) };
  const row = new Float64Array(3);
  const across = new LinearFit(2);
  for (let i = 0; i < count; i++) {
    const at = 3 * i;
    seen.u[i] = along(at, u);
    seen.v[i] = along(at, v);
    seen.t[i] = along(at, axis);
    // The axis meets the line along each normal: its distance from that line, seen along the axis, is linear.
    row[0] = -(n[at] * v[0] + n[at + 1] * v[1] + n[at + 2] * v[2]);
    row[1] = n[at] * u[0] + n[at + 1] * u[1] + n[at + 2] * u[2];
    across.add(row, row[1] * seen.v[i] + row[0] * seen.u[i]);
  }
  const centre = across.solve();
  if (!centre) return [];
  const torus = kind === 'torus';
  const profile = new LinearFit(torus ? 3 : kind === 'cone' ? 2 : 1);
  const out = seen.u;
  for (let i = 0; i < count; i++) {
    out[i] = Math.hypot(seen.u[i] - centre[0], seen.v[i] - centre[1]);
    const t = seen.t[i];
    row[0] = torus ? 2 * out[i] : 1;
    row[1] = torus ? 2 * t : t;
    row[2] = 1;
    profile.add(row, torus ? out[i] * out[i] + t * t : out[i]);
  }
  const s = profile.solve();
  if (!s || !(s[0] > 0)) return [];
  const squared = torus ? s[2] + s[0] * s[0] + s[1] * s[1] : 0;
  if (torus && !(squared > 0)) return [];
  const shift = torus ? s[1] : 0;
  const at = middle.map((c, k) => c + centre[0] * u[k] + centre[1] * v[k] + shift * axis[k]) as Vec3;
  const tubeRadius = Math.sqrt(squared);
  const slope = kind === 'cone' ? s[1] : 0;
  const halfAngle = Math.atan(slope);
  let misfit = 0;
  for (let i = 0; i < count; i++) {
    const beyond = out[i] - s[0];
    const off = torus
      ? Math.hypot(beyond, seen.t[i] - shift) - tubeRadius
      : (beyond - slope * seen.t[i]) * Math.cos(halfAngle);
    misfit += off * off;
  }
  return Number.isFinite(misfit) ? [{ shape: { kind, at, axis, radius: s[0], tubeRadius, halfAngle }, misfit }] : [];
}

/** Mean of points. */
export function meanOf(positions: Float32Array): Vec3 {
  const sum: Vec3 = [0, 0, 0];
  for (let i = 0; i < positions.length; i++) sum[i % 3] += positions[i];
  return sum.map((s) => (3 * s) / positions.length) as Vec3;
}

/** Normal equations of a small linear least-squares fit, row by row. */
class LinearFit {
  private readonly a: Float64Array;
  private readonly b: Float64Array;

  constructor(private readonly n: number) {
    this.a = new Float64Array(n * n);
    this.b = new Float64Array(n);
  }

  add(row: ArrayLike<number>, value: number): void {
    for (let i = 0; i < this.n; i++) {
      this.b[i] += row[i] * value;
      for (let j = 0; j <= i; j++) this.a[i * this.n + j] += row[i] * row[j];
    }
  }

  /** undefined where the rows leave something open. */
  solve(): Float64Array | undefined {
    return solveCholeskyInPlace(this.a, this.b, this.n) ? this.b : undefined;
  }
}

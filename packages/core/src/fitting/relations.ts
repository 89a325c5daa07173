import { cross3, dot3, type Vec3 } from '../math/mat4.js';
import { distanceFromAxis, onAxis, type Shape } from './shape.js';

/**
 * How two fitted shapes lie to each other; lengths mm, angles radians. What makes no sense for the two is missing.
 * Terms as in ISO 1101:2017, Geometrical tolerancing; zones are measured on the points of the first shape, the second
 * being the datum.
 */
export interface ShapeRelation {
  /** Shortest distance of middles, axes or planes; of a plane and a point or axis along the normal. */
  distance?: number;
  /** Between axes, normals, or an axis and a plane: 0 to π/2. */
  angle?: number;
  /** Width of the zone parallel to the datum that holds the points: parallelism. */
  parallelism?: number;
  /** Width of the zone across the datum that holds the points: perpendicularity. */
  perpendicularity?: number;
  /** Diameter of the cylinder about the datum's axis that holds the first axis over its points: coaxiality. */
  coaxiality?: number;
}

/** Axes nearer to parallel than this have a distance everywhere the same (0.5°). */
const PARALLEL = 0.0087;
/** Further from square than this, or from parallel, a zone says nothing (10°). */
const ABOUT = 0.1745;

const hasAxis = ({ kind }: Shape): boolean => kind !== 'plane' && kind !== 'sphere';

/** @param positions of the points that the first shape was fitted to, 3n */
export function relate(shape: Shape, positions: Float32Array, datum: Shape): ShapeRelation {
  const out: ShapeRelation = {};
  const directed = shape.kind !== 'sphere' && datum.kind !== 'sphere';
  const between = directed ? angleBetweenLines(shape.axis, datum.axis) : undefined;
  const mixed = (shape.kind === 'plane') !== (datum.kind === 'plane');
  if (between !== undefined) out.angle = mixed ? Math.PI / 2 - between : between;
  const parallel = between !== undefined && between <= PARALLEL;
  if (datum.kind === 'plane') {
    const along = (p: Vec3): number => dot3(datum.axis, p) - dot3(datum.axis, datum.at);
    const level = shape.kind === 'sphere' || (shape.kind === 'plane' ? parallel : out.angle! <= PARALLEL);
    if (level) out.distance = Math.abs(along(shape.at));
    const spread = spreadAlong(positions, datum.axis);
    if (shape.kind === 'plane' && between! <= ABOUT) out.parallelism = spread;
    if (shape.kind === 'plane' && between! >= Math.PI / 2 - ABOUT)
      out.perpendicularity = spreadAlong(positions, squared(shape.axis, datum.axis));
  } else if (shape.kind === 'plane') {
    const level = datum.kind === 'sphere' || out.angle! <= PARALLEL;
    if (level) out.distance = Math.abs(dot3(shape.axis, datum.at) - dot3(shape.axis, shape.at));
    if (hasAxis(datum) && between! <= ABOUT) out.perpendicularity = spreadAlong(positions, datum.axis);
  } else if (shape.kind === 'sphere' && datum.kind === 'sphere') {
    out.distance = Math.hypot(...minus(shape.at, datum.at));
  } else if (shape.kind === 'sphere' || datum.kind === 'sphere') {
    const [ball, axis] = shape.kind === 'sphere' ? [shape, datum] : [datum, shape];
    out.distance = distanceFromAxis(axis, ball.at);
  } else {
    out.distance = parallel ? distanceFromAxis(datum, shape.at) : distanceOfLines(shape, datum);
    if (between! <= ABOUT)
      out.coaxiality = 2 * Math.max(...endsAlong(shape, positions).map((p) => distanceFromAxis(datum, p)));
  }
  return out;
}

const minus = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];

/** Angle of two lines, 0 to π/2. */
export function angleBetweenLines(a: Vec3, b: Vec3): number {
  return Math.atan2(Math.hypot(...cross3(a, b)), Math.abs(dot3(a, b)));
}

function distanceOfLines(a: Shape, b: Shape): number {
  const across = cross3(a.axis, b.axis);
  return Math.abs(dot3(across, minus(b.at, a.at))) / Math.hypot(...across);
}

/** The part of a direction that is square to another, as a unit vector. */
function squared(a: Vec3, to: Vec3): Vec3 {
  const d = dot3(a, to);
  const rest: Vec3 = [a[0] - d * to[0], a[1] - d * to[1], a[2] - d * to[2]];
  const length = Math.hypot(...rest);
  return [rest[0] / length, rest[1] / length, rest[2] / length];
}

function spreadAlong(p: Float32Array, axis: Vec3): number {
  const [low, high] = rangeAlong(p, axis);
  return high - low;
}

/** Least and greatest place of points along a direction. */
export function rangeAlong(p: Float32Array, axis: Vec3): [number, number] {
  let low = Infinity;
  let high = -Infinity;
  for (let i = 0; i < p.length; i += 3) {
    const t = p[i] * axis[0] + p[i + 1] * axis[1] + p[i + 2] * axis[2];
    if (t < low) low = t;
    if (t > high) high = t;
  }
  return [low, high];
}

/** Where an axis enters and leaves its points. */
function endsAlong(shape: Shape, p: Float32Array): Vec3[] {
  const foot = onAxis(shape, [0, 0, 0]);
  return rangeAlong(p, shape.axis).map((t) => foot.map((c, k) => c + t * shape.axis[k]) as Vec3);
}

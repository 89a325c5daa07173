import { cross3, dot3, fromAxisAngle, fromTranslation, multiply, rotationAngle, type Mat4, type Vec3 } from './mat4.js';

/** A line in space; `direction` is a unit vector. */
export interface Axis {
  point: Vec3;
  direction: Vec3;
}

/** The turn about an axis by an angle in radians, right-handed about its direction. */
export function turnAbout({ point, direction }: Axis, angleRad: number): Mat4 {
  const [x, y, z] = point;
  return multiply(multiply(fromTranslation(x, y, z), fromAxisAngle(direction, angleRad)), fromTranslation(-x, -y, -z));
}

/**
 * A rigid motion as a screw: a turn by `angle` (radians, 0 to π) about an axis and a shift along it; undefined for a
 * motion that turns by less than a thousandth. The axis' point is the one nearest the origin.
 * Source: M. Chasles (1830), Note sur les propriétés générales du système de deux corps semblables.
 */
export function screwOf(m: Mat4): { axis: Axis; angle: number; shift: number } | undefined {
  const angle = rotationAngle(m);
  if (angle < 1e-3) return undefined;
  const c = Math.cos(angle);
  // (R + Rᵀ)/2 − cos θ · I = (1 − cos θ) · d dᵀ: good for half turns too, but for the sign of d.
  const square = (row: number, column: number): number =>
    ((m[4 * column + row] + m[4 * row + column]) / 2 - (row === column ? c : 0)) / (1 - c);
  const k = [0, 1, 2].reduce((best, i) => (square(i, i) > square(best, best) ? i : best), 0);
  const length = Math.sqrt(square(k, k));
  let d: Vec3 = [square(0, k) / length, square(1, k) / length, square(2, k) / length];
  const skew: Vec3 = [m[6] - m[9], m[8] - m[2], m[1] - m[4]];
  if (dot3(d, skew) < 0) d = [-d[0], -d[1], -d[2]];
  const t: Vec3 = [m[12], m[13], m[14]];
  const shift = dot3(t, d);
  const across: Vec3 = [t[0] - shift * d[0], t[1] - shift * d[1], t[2] - shift * d[2]];
  const turned = cross3(d, across);
  const cot = 1 / Math.tan(angle / 2);
  const point = across.map((v, i) => (v + cot * turned[i]) / 2) as Vec3;
  return { axis: { point, direction: d }, angle, shift };
}

import { rangeAlong } from '../fitting/relations.js';
import type { Shape } from '../fitting/shape.js';
import { dot3, perpendiculars, type Vec3 } from '../math/mat4.js';

/** Corners of a drawn circle. */
const CORNERS = 64;

/** Lines that show a fitted shape over the extent of its points (3n): circles, and an axis that stands out a little. */
export function linesOfShape(shape: Shape, positions: Float32Array): number[][] {
  const { at, axis, radius } = shape;
  const [low, high] = extentAlong(positions, axis, at);
  const over = 0.08 * (high - low);
  const on = (t: number): Vec3 => [at[0] + t * axis[0], at[1] + t * axis[1], at[2] + t * axis[2]];
  const line = (from: number, to: number): number[] => [...on(from), ...on(to)];
  switch (shape.kind) {
    case 'sphere': {
      const axes: Vec3[] = [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ];
      return axes.map((d) => circle(at, d, radius));
    }
    case 'cylinder':
    case 'cone': {
      const slope = Math.tan(shape.halfAngle);
      return [
        line(low - over, high + over),
        ...[low, high].map((t) => circle(on(t), axis, Math.max(0, radius + t * slope))),
      ];
    }
    case 'torus': {
      const [u] = perpendiculars(axis);
      const middle: Vec3 = [at[0] + radius * u[0], at[1] + radius * u[1], at[2] + radius * u[2]];
      const across: Vec3 = [
        axis[1] * u[2] - axis[2] * u[1],
        axis[2] * u[0] - axis[0] * u[2],
        axis[0] * u[1] - axis[1] * u[0],
      ];
      return [circle(at, axis, radius), circle(middle, across, shape.tubeRadius)];
    }
    case 'circle':
      return [circle(at, axis, radius)];
    default: {
      // A plane: a rectangle as large as its points, and its normal.
      const [u, v] = perpendiculars(axis);
      const [u0, u1] = extentAlong(positions, u, at);
      const [v0, v1] = extentAlong(positions, v, at);
      const corner = (a: number, b: number): Vec3 => at.map((c, k) => c + a * u[k] + b * v[k]) as Vec3;
      return [
        [...corner(u0, v0), ...corner(u1, v0), ...corner(u1, v1), ...corner(u0, v1), ...corner(u0, v0)],
        line(0, 0.15 * Math.hypot(u1 - u0, v1 - v0)),
      ];
    }
  }
}

/** Least and greatest place of points along a direction, seen from a place. */
export function extentAlong(positions: Float32Array, axis: Vec3, from: Vec3): [number, number] {
  const base = dot3(axis, from);
  const [low, high] = rangeAlong(positions, axis);
  return [low - base, high - base];
}

function circle(at: Vec3, axis: Vec3, radius: number): number[] {
  const [u, v] = perpendiculars(axis);
  const out: number[] = [];
  for (let i = 0; i <= CORNERS; i++) {
    const a = (2 * Math.PI * i) / CORNERS;
    for (let k = 0; k < 3; k++) out.push(at[k] + radius * (Math.cos(a) * u[k] + Math.sin(a) * v[k]));
  }
  return out;
}

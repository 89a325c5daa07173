import { cross3, dot3, perpendiculars, type Vec3 } from '../math/mat4.js';

/** Kinds of shapes that can be fitted; a circle lies in the plane across its axis. */
export const SHAPE_KINDS = ['plane', 'sphere', 'cylinder', 'cone', 'torus', 'circle'] as const;
export type ShapeKind = (typeof SHAPE_KINDS)[number];

/**
 * A shape without bounds, mm. `at` is a point of a plane, the middle of a sphere, torus or circle, and a point on the axis
 * of a cylinder or cone. `axis` is a unit vector: a plane's normal, else the axis of revolution; a sphere has none that counts.
 */
export interface Shape {
  kind: ShapeKind;
  at: Vec3;
  axis: Vec3;
  /** Of a sphere, cylinder, circle; of a cone at `at`; of a torus from its middle to the middle of its tube. */
  radius: number;
  /** Of the tube of a torus. */
  tubeRadius: number;
  /** Half the opening angle of a cone, radians; positive where it widens along `axis`. */
  halfAngle: number;
}

/** Freedoms of a shape's place, in its own frame: shifts along u, v, w (its axis), turns about u and v. */
export const PLACE_FREEDOMS = 5;
/** Sizes of a shape: the radius, and one more where it has one. */
export const SIZE_FREEDOMS = 2;

/** Which of the freedoms a kind has: shifts u, v, w, turns about u, v, first size, second size. */
export const FREEDOMS: Record<ShapeKind, readonly number[]> = {
  plane: [2, 3, 4],
  sphere: [0, 1, 2, 5],
  cylinder: [0, 1, 3, 4, 5],
  cone: [0, 1, 3, 4, 5, 6],
  torus: [0, 1, 2, 3, 4, 5, 6],
  circle: [0, 1, 5],
};

/**
 * Signed distances of points from a shape and how they change with each of its freedoms. One object serves all points: it
 * holds the frame and writes to `slope`.
 */
export class ShapeDistance {
  /** Change of the distance with each freedom (shifts u, v, w, turns about u, v, first and second size). */
  readonly slope = new Float64Array(PLACE_FREEDOMS + SIZE_FREEDOMS);
  readonly u: Vec3;
  readonly v: Vec3;
  readonly w: Vec3;
  private readonly cos: number;
  private readonly sin: number;

  constructor(readonly shape: Shape) {
    this.w = shape.axis;
    [this.u, this.v] = perpendiculars(shape.axis);
    this.cos = Math.cos(shape.halfAngle);
    this.sin = Math.sin(shape.halfAngle);
  }

  /** Distance of a point, positive outside (for a plane, on the side of its normal); fills `slope`. */
  at(px: number, py: number, pz: number): number {
    const { shape, u, v, w, slope } = this;
    const dx = px - shape.at[0];
    const dy = py - shape.at[1];
    const dz = pz - shape.at[2];
    const x = dx * u[0] + dy * u[1] + dz * u[2];
    const y = dx * v[0] + dy * v[1] + dz * v[2];
    const t = dx * w[0] + dy * w[1] + dz * w[2];
    let distance: number;
    // How the distance changes where the point moves, in the shape's frame.
    let gx: number;
    let gy: number;
    let gt: number;
    slope[5] = -1;
    slope[6] = 0;
    if (shape.kind === 'plane') {
      distance = t;
      gx = gy = 0;
      gt = 1;
      slope[5] = 0;
    } else if (shape.kind === 'sphere') {
      const r = Math.sqrt(x * x + y * y + t * t) || 1e-30;
      distance = r - shape.radius;
      gx = x / r;
      gy = y / r;
      gt = t / r;
    } else {
      const rho = Math.sqrt(x * x + y * y) || 1e-30;
      const out = rho - shape.radius;
      const [ex, ey] = [x / rho, y / rho];
      if (shape.kind === 'cone') {
        distance = out * this.cos - t * this.sin;
        gx = ex * this.cos;
        gy = ey * this.cos;
        gt = -this.sin;
        slope[5] = -this.cos;
        slope[6] = -out * this.sin - t * this.cos;
      } else if (shape.kind === 'torus') {
        const tube = Math.sqrt(out * out + t * t) || 1e-30;
        distance = tube - shape.tubeRadius;
        gx = (ex * out) / tube;
        gy = (ey * out) / tube;
        gt = t / tube;
        slope[5] = -out / tube;
        slope[6] = -1;
      } else {
        distance = out;
        gx = ex;
        gy = ey;
        gt = 0;
      }
    }
    slope[0] = -gx;
    slope[1] = -gy;
    slope[2] = -gt;
    slope[3] = gy * t - gt * y;
    slope[4] = gt * x - gx * t;
    return distance;
  }

  /** Outward normal of the shape nearest to a point whose distance was asked for last. */
  normal(): Vec3 {
    const { slope: s, u, v, w } = this;
    return [0, 1, 2].map((k) => -(s[0] * u[k] + s[1] * v[k] + s[2] * w[k])) as Vec3;
  }

  /** The shape after a change of its freedoms (7 numbers as in `slope`). */
  moved(by: ArrayLike<number>): Shape {
    const { shape, u, v, w } = this;
    const at = shape.at.map((c, k) => c + by[0] * u[k] + by[1] * v[k] + by[2] * w[k]) as Vec3;
    const tilted = w.map((c, k) => c + by[4] * u[k] - by[3] * v[k]) as Vec3;
    const length = Math.hypot(...tilted);
    const torus = shape.kind === 'torus';
    return {
      kind: shape.kind,
      at,
      axis: tilted.map((c) => c / length) as Vec3,
      radius: shape.radius + by[5],
      tubeRadius: shape.tubeRadius + (torus ? by[6] : 0),
      halfAngle: shape.halfAngle + (torus ? 0 : by[6]),
    };
  }
}

/** The point of an axis nearest to another point. */
export function onAxis({ at, axis }: Pick<Shape, 'at' | 'axis'>, p: Vec3): Vec3 {
  const t = dot3(axis, p) - dot3(axis, at);
  return at.map((c, k) => c + t * axis[k]) as Vec3;
}

/** Distance of a point from an axis. */
export function distanceFromAxis({ at, axis }: Pick<Shape, 'at' | 'axis'>, p: Vec3): number {
  return Math.hypot(...cross3(axis, p.map((c, k) => c - at[k]) as Vec3));
}

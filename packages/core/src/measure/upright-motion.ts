import { boundsOf } from '../geometry/point-cloud.js';
import {
  cross3,
  dot3,
  fromAxisAngle,
  fromTranslation,
  identity,
  multiply,
  normalize3,
  perpendiculars,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** Where the origin of an upright piece lies: stays; in the middle of what it stands over; in the middle of its box. */
export type Origin = 'keep' | 'base' | 'middle';

/** The shortest turn that makes a direction point up (Z). @throws GeometryError `invalid-parameter` for no direction */
export function turnUp(direction: Vec3): Mat4 {
  const d = normalize3(direction);
  if (!(Math.hypot(...d) > 0.5)) throw new GeometryError('invalid-parameter', 'Up needs a direction that is not zero.');
  const up: Vec3 = [0, 0, 1];
  const axis = cross3(d, up);
  const angle = Math.atan2(Math.hypot(...axis), dot3(d, up));
  if (angle === 0) return identity();
  // Straight down: any axis across serves.
  return fromAxisAngle(Math.hypot(...axis) > 1e-9 ? axis : perpendiculars(d)[0], angle);
}

/** A turn, then what puts the piece on the ground and its origin where it shall be: one rigid motion. */
export function uprightMotion(positions: Float32Array, turn: Mat4, ground: boolean, origin: Origin): Mat4 {
  const { min, max } = boundsOf(transformPoints(turn, positions));
  const middle = min.map((c, k) => (c + max[k]) / 2);
  const x = origin === 'keep' ? 0 : -middle[0];
  const y = origin === 'keep' ? 0 : -middle[1];
  const z = origin === 'middle' ? -middle[2] : ground ? -min[2] : 0;
  return multiply(fromTranslation(x, y, z), turn);
}

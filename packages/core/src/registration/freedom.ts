import type { PlacementUncertainty } from '../geometry/scan.js';
import { symmetricEigen } from '../math/eigen.js';
import { normalize3, type Vec3 } from '../math/mat4.js';

/** One of the six independent small motions a placed scan still has, and how far it could go. */
export interface Freedom {
  kind: 'turn' | 'slide';
  /** Unit direction of the axis it turns about or the line it slides along, in the piece's frame. */
  direction: Vec3;
  /** A point on the axis, or the scan's middle. */
  at: Vec3;
  /** Standard deviation of the surface's way, mm. */
  sigma: number;
  /** The same as an angle, radians; 0 for a slide. */
  angle: number;
}

/**
 * The principal motions of a placement's uncertainty, the loosest first. Turns count as the way of the scan's outer
 * points, so that they compare with slides. A motion that mixes both is named by its greater part.
 */
export function freedomsOf({ centre, radius, covariance }: PlacementUncertainty): Freedom[] {
  const length = (k: number): number => (k < 3 ? radius : 1);
  const scaled = covariance.map((v, k) => v * length(Math.floor(k / 6)) * length(k % 6));
  const { values, vectors } = symmetricEigen(scaled, 6);
  return [5, 4, 3, 2, 1, 0].map((e): Freedom => {
    const turn: Vec3 = [vectors[6 * e], vectors[6 * e + 1], vectors[6 * e + 2]];
    const shift: Vec3 = [vectors[6 * e + 3], vectors[6 * e + 4], vectors[6 * e + 5]];
    const sigma = Math.sqrt(Math.max(0, values[e]));
    const part = Math.hypot(...turn);
    if (part * part <= 0.5) return { kind: 'slide', direction: normalize3(shift), at: centre, sigma, angle: 0 };
    // The axis of a screw lies off the middle by ω × v / ω².
    const w = turn.map((v) => v / radius);
    const w2 = w[0] * w[0] + w[1] * w[1] + w[2] * w[2];
    const at: Vec3 = [
      centre[0] + (w[1] * shift[2] - w[2] * shift[1]) / w2,
      centre[1] + (w[2] * shift[0] - w[0] * shift[2]) / w2,
      centre[2] + (w[0] * shift[1] - w[1] * shift[0]) / w2,
    ];
    return { kind: 'turn', direction: normalize3(turn), at, sigma, angle: (sigma * part) / radius };
  });
}

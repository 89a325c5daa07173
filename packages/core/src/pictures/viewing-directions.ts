import { boundsOf } from '../geometry/point-cloud.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { lookAt, type Vec3 } from '../math/mat4.js';
import { spreadDirections } from '../math/spread-directions.js';
import type { CameraPlace } from './picture-through.js';

/** From where an object that stands upright will be seen: from all sides, from the level upwards, or from one height all around. */
export const VIEWING_RANGES = ['all', 'above', 'ring'] as const;
export type ViewingRange = (typeof VIEWING_RANGES)[number];

/**
 * Evenly spread directions from an object to who looks at it, unit vectors, Z up.
 * @param elevationRad of a ring: how far above the level
 */
export function viewingDirections(range: ViewingRange, count: number, elevationRad: number): Vec3[] {
  if (range === 'all') return spreadDirections(count);
  // Twice as many over the whole sphere: the upper half of them is as evenly spread.
  if (range === 'above') return spreadDirections(2 * count).slice(0, count);
  return Array.from({ length: count }, (_, k): Vec3 => {
    const around = (2 * Math.PI * k) / count;
    return [
      Math.cos(elevationRad) * Math.cos(around),
      Math.cos(elevationRad) * Math.sin(around),
      Math.sin(elevationRad),
    ];
  });
}

/** Half the angle that a picture shows from edge to edge, radians: that of many cameras (common practice, no source). */
const HALF_ANGLE = 0.42;
/** The ball around the object takes so much of the picture's edge. */
const FILLS = 0.92;

/**
 * Cameras that look at the middle of an object from such directions, their pictures `size`² pixels with the object whole in
 * them, and up in them as far as it can be.
 */
export function camerasAround(mesh: TriangleMesh, directions: readonly Vec3[], size: number): CameraPlace[] {
  const { min, max } = boundsOf(mesh.positions);
  const middle = min.map((c, k) => (c + max[k]) / 2) as Vec3;
  let radius = 0;
  for (let i = 0; i < mesh.positions.length; i += 3) {
    const [x, y, z] = [0, 1, 2].map((k) => mesh.positions[i + k] - middle[k]);
    radius = Math.max(radius, Math.hypot(x, y, z));
  }
  const focal = size / 2 / Math.tan(HALF_ANGLE);
  const distance = radius / Math.sin(Math.atan(FILLS * Math.tan(HALF_ANGLE))) || 1;
  const camera = { width: size, height: size, fx: focal, fy: focal, cx: (size - 1) / 2, cy: (size - 1) / 2 };
  return directions.map((d) => {
    const eye = middle.map((c, k) => c + distance * d[k]) as Vec3;
    return { camera, meshFromSensor: lookAt(eye, middle, Math.abs(d[2]) > 0.999 ? [0, 1, 0] : [0, 0, 1]) };
  });
}

import { boundsOf, type Bounds, type PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';

/** What is asked of the same cloud thousands of times while placements are compared; worked out once for each. */
const centroids = new WeakMap<Float32Array, Vec3>();
const boxes = new WeakMap<Float32Array, Bounds>();

/** Mean of a cloud's points, mm; the origin for an empty one. Clouds are never changed, so it is kept. */
export function centroidOf({ positions: p }: PointCloud): Vec3 {
  const known = centroids.get(p);
  if (known) return known;
  const n = p.length / 3 || 1;
  let x = 0;
  let y = 0;
  let z = 0;
  for (let i = 0; i < p.length; i += 3) {
    x += p[i];
    y += p[i + 1];
    z += p[i + 2];
  }
  const mean: Vec3 = [x / n, y / n, z / n];
  centroids.set(p, mean);
  return mean;
}

/** Box of a cloud's points, kept like the centroid. */
export function boxOf({ positions }: PointCloud): Bounds {
  const known = boxes.get(positions);
  if (known) return known;
  const box = boundsOf(positions);
  boxes.set(positions, box);
  return box;
}

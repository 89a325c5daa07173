import { boundsOf, diagonalOf, pointCount, type PointCloud } from '../geometry/point-cloud.js';
import { PointGrid } from '../spatial/point-grid.js';

/**
 * Typical distance of a point to its nearest neighbour, in mm: the median over up to `samples` points taken at even
 * steps through the array. 0 for fewer than two points. O(n).
 */
export function estimateSpacing(cloud: PointCloud, samples = 2000): number {
  const n = pointCount(cloud);
  if (n < 2) return 0;
  const diagonal = diagonalOf(boundsOf(cloud.positions));
  if (diagonal === 0) return 0;
  // First guess: points spread evenly over a surface of about the box's size.
  const guess = diagonal / Math.sqrt(n);
  const grid = new PointGrid(cloud.positions, guess);
  const ids = new Uint32Array(64);
  const squared = new Float32Array(64);
  const found: number[] = [];
  const step = Math.max(1, Math.floor(n / samples));
  const p = cloud.positions;
  for (let i = 0; i < n; i += step) {
    let best = Infinity;
    for (let radius = guess / 4; best === Infinity && radius < 2 * diagonal; radius *= 2) {
      const k = grid.within(p[3 * i], p[3 * i + 1], p[3 * i + 2], radius, ids, squared);
      for (let j = 0; j < k; j++) if (ids[j] !== i && squared[j] > 0 && squared[j] < best) best = squared[j];
    }
    if (best < Infinity) found.push(Math.sqrt(best));
  }
  found.sort((a, b) => a - b);
  return found.length ? found[found.length >> 1] : 0;
}

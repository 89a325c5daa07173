import { boundsOf, diagonalOf, pointCount, type PointCloud } from '../geometry/point-cloud.js';
import { PointGrid } from '../spatial/point-grid.js';
import { VoxelTable } from '../spatial/voxel-keys.js';

/** Above this many points only the surroundings of the sampled points are looked at. */
const LARGE = 200_000;

/**
 * Typical distance of a point to its nearest neighbour, in mm: the median over up to `samples` points taken at even
 * steps through the array. 0 for fewer than two points. O(n).
 */
export function estimateSpacing(cloud: PointCloud, samples = 2000): number {
  const n = pointCount(cloud);
  if (n < 2) return 0;
  const diagonal = diagonalOf(boundsOf(cloud.positions));
  if (diagonal === 0) return 0;
  const p = cloud.positions;
  const step = Math.max(1, Math.floor(n / samples));
  const sampled = new Float32Array(3 * Math.ceil(n / step));
  for (let i = 0, at = 0; i < n; i += step, at += 3) sampled.set(p.subarray(3 * i, 3 * i + 3), at);
  const guess = (middleDiagonal(sampled) || diagonal) / Math.sqrt(n);
  if (n > LARGE) {
    const near = nearestDistances(sampled, pointsAround(p, sampled, 2 * guess), guess, 2 * guess);
    // Distances beyond what was looked at would stand at the end of the sorted list.
    if (2 * near.length > sampled.length / 3) return near.sort()[(sampled.length / 3) >> 1];
  }
  const found = nearestDistances(sampled, p, guess, 2 * diagonal).sort();
  return found.length ? found[found.length >> 1] : 0;
}

/** Distance of each place to the nearest other point; left out where there is none within `most`. */
function nearestDistances(places: Float32Array, points: Float32Array, guess: number, most: number): Float64Array {
  const grid = new PointGrid(points, guess);
  const ids = new Uint32Array(64);
  const squared = new Float32Array(64);
  const found: number[] = [];
  for (let i = 0; i < places.length; i += 3) {
    let best = Infinity;
    let radius = guess / 4;
    // Too many to tell apart lie nearer than that.
    while (radius > 0 && grid.within(places[i], places[i + 1], places[i + 2], radius, ids) === ids.length) radius /= 2;
    for (; best === Infinity && radius > 0 && radius <= most; radius *= 2) {
      const k = grid.within(places[i], places[i + 1], places[i + 2], radius, ids, squared);
      for (let j = 0; j < k; j++) if (squared[j] > 0 && squared[j] < best) best = squared[j];
      // Full again, and all of it lies on the place itself: there is no telling.
      if (k === ids.length) break;
    }
    if (best < Infinity) found.push(Math.sqrt(best));
  }
  return Float64Array.from(found);
}

/** Diagonal of the box that holds the middle 90 per cent along each axis: a few points far away do not change it. */
function middleDiagonal(points: Float32Array): number {
  const n = points.length / 3;
  const side = (axis: number): number => {
    const sorted = Float32Array.from({ length: n }, (_, i) => points[3 * i + axis]).sort();
    return sorted[Math.floor(0.95 * (n - 1))] - sorted[Math.ceil(0.05 * (n - 1))];
  };
  // What is spread evenly is so much longer than its middle.
  return Math.hypot(side(0), side(1), side(2)) / 0.9;
}

/**
 * The points in the cubes of edge `reach` that hold the places, and in the cubes around those: all within `reach`, of a
 * large cloud; of a small one all. O(points).
 */
export function pointsAround(points: Float32Array, places: Float32Array, reach: number): Float32Array {
  if (points.length <= 3 * LARGE) return points;
  const { min } = boundsOf(points);
  const cell = (v: number, k: number): number => Math.floor((v - min[k]) / reach);
  const table = new VoxelTable(places.length * 9);
  for (let i = 0; i < places.length; i += 3) {
    const [x, y, z] = [0, 1, 2].map((k) => cell(places[i + k], k));
    for (let k = 0; k < 27; k++)
      table.insert(x + (k % 3) - 1, y + (Math.floor(k / 3) % 3) - 1, z + Math.floor(k / 9) - 1);
  }
  const near: number[] = [];
  for (let i = 0; i < points.length; i += 3) {
    if (table.find(cell(points[i], 0), cell(points[i + 1], 1), cell(points[i + 2], 2)) >= 0)
      near.push(points[i], points[i + 1], points[i + 2]);
  }
  return Float32Array.from(near);
}

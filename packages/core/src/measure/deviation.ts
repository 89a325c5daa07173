import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { Pseudonormals } from './pseudonormals.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';

/** Distances from points to a surface, mm. */
export interface DeviationResult {
  /** Signed distance per point (positive outside); NaN where nothing lies within the limit. */
  distances: Float32Array;
  rms: number;
  mean: number;
  /** 95th percentile and largest of the absolute distances. */
  p95: number;
  max: number;
  /** Points with a distance. */
  measured: number;
}

/** Measures how far each point (3n) lies from a reference surface, up to `limit` mm. O(n log m). */
export function measureDeviation(
  points: Float32Array,
  reference: TriangleMesh,
  limit: number,
  ctx: RunContext,
): DeviationResult {
  const bvh = new TriangleBvh(reference);
  const normals = new Pseudonormals(reference);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const n = points.length / 3;
  const distances = new Float32Array(n).fill(NaN);
  const absolute: number[] = [];
  let sum = 0;
  let squares = 0;
  for (let i = 0; i < n; i++) {
    if ((i & 4095) === 0) ctx.checkpoint(i / n);
    if (!bvh.closest(points[3 * i], points[3 * i + 1], points[3 * i + 2], limit, hit)) continue;
    const d = Math.sqrt(hit.squaredDistance);
    distances[i] = normals.side(hit, points[3 * i], points[3 * i + 1], points[3 * i + 2]) * d;
    absolute.push(d);
    sum += distances[i];
    squares += d * d;
  }
  const sorted = Float64Array.from(absolute).sort();
  const m = sorted.length;
  return {
    distances,
    rms: m ? Math.sqrt(squares / m) : 0,
    mean: m ? sum / m : 0,
    p95: m ? sorted[Math.floor(0.95 * (m - 1))] : 0,
    max: m ? sorted[m - 1] : 0,
    measured: m,
  };
}

import type { TriangleMesh } from '@amber-knit/core/geometry';
import { createRandom } from '@amber-knit/core/math';
import { PointGrid, TriangleBvh, type SurfaceHit } from '@amber-knit/core/spatial';

/** A true surface, its places counted by how many scans saw them. */
export interface SurfaceTruth {
  mesh: TriangleMesh;
  bvh: TriangleBvh;
  /** Places spread evenly over it, 3n, and how many scans saw each. */
  places: Float32Array;
  grid: PointGrid;
  seenBy: Uint8Array;
}

/** How well a mesh meets the truth where that was seen, mm. */
export interface SurfaceError {
  rms: number;
  /** Where one or two scans saw it. */
  rmsThin: number;
  p95: number;
  max: number;
  /** Share of the mesh's area where no scan saw anything. */
  unseen: number;
  /** Share of the seen truth that has the mesh within `reach`. */
  complete: number;
}

const PLACES = 150_000;
const SAMPLES = 150_000;

/** Points spread evenly over a mesh. */
export function spread(
  mesh: TriangleMesh,
  count: number,
  seed: number,
): { points: Float32Array; triangle: Uint32Array } {
  const { positions: p, indices } = mesh;
  const triangles = indices.length / 3;
  const sums = new Float64Array(triangles + 1);
  for (let t = 0; t < triangles; t++) {
    const [a, b, c] = [0, 1, 2].map((k) => 3 * indices[3 * t + k]);
    const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]);
    const v = [0, 1, 2].map((k) => p[c + k] - p[a + k]);
    const area = Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2;
    sums[t + 1] = sums[t] + area;
  }
  const random = createRandom(seed);
  const points = new Float32Array(3 * count);
  const triangle = new Uint32Array(count);
  let t = 0;
  for (let i = 0; i < count; i++) {
    const at = ((i + random()) / count) * sums[triangles];
    while (t < triangles - 1 && sums[t + 1] < at) t++;
    let [r, s] = [random(), random()];
    if (r + s > 1) [r, s] = [1 - r, 1 - s];
    for (let k = 0; k < 3; k++) {
      const [a, b, c] = [0, 1, 2].map((j) => p[3 * indices[3 * t + j] + k]);
      points[3 * i + k] = a + r * (b - a) + s * (c - a);
    }
    triangle[i] = t;
  }
  return { points, triangle };
}

/**
 * @param clouds points of each scan in the object's frame, 3n
 * @param reach a place is seen where a scan has a point within so many mm
 */
export function surfaceTruth(mesh: TriangleMesh, clouds: readonly Float32Array[], reach: number): SurfaceTruth {
  const places = spread(mesh, PLACES, 7).points;
  const seenBy = new Uint8Array(PLACES);
  for (const cloud of clouds) {
    const grid = new PointGrid(cloud, reach);
    for (let i = 0; i < PLACES; i++)
      if (grid.nearest(places[3 * i], places[3 * i + 1], places[3 * i + 2], reach) >= 0) seenBy[i]++;
  }
  return { mesh, bvh: new TriangleBvh(mesh), places, grid: new PointGrid(places, 1), seenBy };
}

/** Compares a mesh with the truth; parts marked invented are left out. @param reach for completeness, mm */
export function surfaceError(mesh: TriangleMesh, truth: SurfaceTruth, reach: number): SurfaceError {
  const measured = mesh.invented
    ? mesh.indices.filter((_, i) => {
        const t = 3 * Math.floor(i / 3);
        return [0, 1, 2].every((k) => !mesh.invented![mesh.indices[t + k]]);
      })
    : mesh.indices;
  const { points } = spread({ positions: mesh.positions, indices: measured }, SAMPLES, 11);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const all: number[] = [];
  let squares = 0;
  let thin = 0;
  let thinSquares = 0;
  let unseen = 0;
  for (let i = 0; i < points.length; i += 3) {
    truth.bvh.closest(points[i], points[i + 1], points[i + 2], 1e9, hit);
    const seen = truth.seenBy[truth.grid.nearest(hit.x, hit.y, hit.z, 50)];
    if (seen === 0) {
      unseen++;
      continue;
    }
    const d = hit.squaredDistance;
    all.push(Math.sqrt(d));
    squares += d;
    if (seen <= 2) {
      thin++;
      thinSquares += d;
    }
  }
  const sorted = Float64Array.from(all).sort();
  const own = new TriangleBvh({ positions: mesh.positions, indices: measured });
  let seen = 0;
  let found = 0;
  for (let i = 0; i < PLACES; i++) {
    if (truth.seenBy[i] === 0) continue;
    seen++;
    if (own.closest(truth.places[3 * i], truth.places[3 * i + 1], truth.places[3 * i + 2], reach, hit)) found++;
  }
  return {
    rms: Math.sqrt(squares / all.length),
    rmsThin: thin ? Math.sqrt(thinSquares / thin) : 0,
    p95: sorted[Math.floor(0.95 * (sorted.length - 1))],
    max: sorted[sorted.length - 1],
    unseen: unseen / SAMPLES,
    complete: found / seen,
  };
}

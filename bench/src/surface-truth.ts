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

/** How far the true sharp edges lie off a mesh where two scans or more saw them, mm. */
export interface EdgeError {
  /** Places looked at. */
  places: number;
  median: number;
  p95: number;
  max: number;
}

/** Sharp: the triangles beside it turn by more than this. */
const SHARP = Math.cos((40 * Math.PI) / 180);
const EDGE_STEP = 0.5;

/** Compares the true sharp edges with a mesh: what a rounded or chamfered edge has lost. */
export function edgeError(mesh: TriangleMesh, truth: SurfaceTruth, seenWithin: number): EdgeError {
  const own = new TriangleBvh(mesh);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const off: number[] = [];
  for (const [a, b] of sharpEdges(truth.mesh)) {
    const length = Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
    const steps = Math.max(1, Math.round(length / EDGE_STEP));
    for (let k = 0; k < steps; k++) {
      const t = (k + 0.5) / steps;
      const [x, y, z] = [0, 1, 2].map((i) => a[i] + t * (b[i] - a[i]));
      const near = truth.grid.within(x, y, z, seenWithin, NEAR_IDS);
      let seen = near > 0;
      for (let i = 0; i < near; i++) if (truth.seenBy[NEAR_IDS[i]] < 2) seen = false;
      if (!seen) continue;
      own.closest(x, y, z, 1e9, hit);
      off.push(Math.sqrt(hit.squaredDistance));
    }
  }
  off.sort((x, y) => x - y);
  const at = (share: number): number => off[Math.floor(share * (off.length - 1))] ?? NaN;
  return { places: off.length, median: at(0.5), p95: at(0.95), max: at(1) };
}

const NEAR_IDS = new Uint32Array(4096);

function sharpEdges({ positions: p, indices }: TriangleMesh): [number[], number[]][] {
  const place = (v: number): number[] => [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
  const keyOf = (v: number): string =>
    place(v)
      .map((x) => x.toFixed(4))
      .join();
  const first = new Map<string, number[]>();
  const out: [number[], number[]][] = [];
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => place(indices[t + k]));
    const u = b.map((x, k) => x - a[k]);
    const v = c.map((x, k) => x - a[k]);
    const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const l = Math.hypot(...n);
    if (!(l > 0)) continue;
    const unit = n.map((x) => x / l);
    for (let k = 0; k < 3; k++) {
      const [i, j] = [indices[t + k], indices[t + ((k + 1) % 3)]];
      const key = [keyOf(i), keyOf(j)].sort().join('|');
      const other = first.get(key);
      if (!other) first.set(key, unit);
      else if (other[0] * unit[0] + other[1] * unit[1] + other[2] * unit[2] < SHARP) out.push([place(i), place(j)]);
    }
  }
  return out;
}

import { boundsOf, pointCount, type PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';
import { PointGrid } from '../spatial/point-grid.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import { estimateSpacing } from './spacing.js';

/** How much less a distance along the line of sight counts than one across it. */
const SIGHT = 4;

/**
 * A cloud seen from one place with its depth pressed together, for counting neighbours: on a surface seen at a flat angle
 * points lie far apart along the line of sight, though nothing is missing between them, and farther off all points
 * lie wider apart. Every direction is kept; distances from the eye shrink to a quarter about their median. O(n).
 */
export function pressedAlongSight(positions: Float32Array, [ex, ey, ez]: Vec3): Float32Array {
  const n = positions.length / 3;
  const ranges = new Float32Array(n);
  for (let i = 0; i < n; i++) {
    ranges[i] = Math.hypot(positions[3 * i] - ex, positions[3 * i + 1] - ey, positions[3 * i + 2] - ez);
  }
  const middle = ranges.slice().sort()[n >> 1];
  const out = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const scale = (middle + (ranges[i] - middle) / SIGHT) / (ranges[i] || 1);
    out[3 * i] = (positions[3 * i] - ex) * scale;
    out[3 * i + 1] = (positions[3 * i + 1] - ey) * scale;
    out[3 * i + 2] = (positions[3 * i + 2] - ez) * scale;
  }
  return out;
}

/**
 * `relativeDensity` as it is to be judged: seen from one place, depth is pressed together first; scans joined from several
 * places are taken as they are. O(n · neighbours).
 */
export function judgedDensity(
  cloud: PointCloud,
  spacing: number,
  viewpoints: readonly Vec3[],
  ctx: RunContext,
): Float32Array {
  if (viewpoints.length !== 1) return relativeDensity(cloud, spacing, ctx);
  const pressed = { positions: pressedAlongSight(cloud.positions, viewpoints[0]) };
  return relativeDensity(pressed, estimateSpacing(pressed), ctx);
}

/**
 * How many neighbours a point has within 2.5 spacings, over the cloud's median count: 1 is usual, near 0 stands alone.
 * A point with no other beside it counts 0. O(n · neighbours).
 */
export function relativeDensity(cloud: PointCloud, spacing: number, ctx: RunContext): Float32Array {
  const n = pointCount(cloud);
  const p = cloud.positions;
  const radius = 2.5 * spacing;
  const grid = new PointGrid(p, radius);
  const ids = new Uint32Array(128);
  const counts = new Uint16Array(n);
  for (let s = 0; s < n; s++) {
    if ((s & 8191) === 0) ctx.checkpoint(s / n);
    const i = grid.order[s];
    counts[i] = grid.within(p[3 * i], p[3 * i + 1], p[3 * i + 2], radius, ids);
  }
  const median = counts.slice().sort()[n >> 1] || 1;
  return Float32Array.from(counts, (c) => (c < 2 ? 0 : c / median));
}

/** Neighbours are looked for within so many spacings when a point's own surroundings are measured. */
const AROUND = 4;
/** Ten times as many as usual: where points lie close, the nearest has to be among those found. */
const MOST_AROUND = 512;
/** A plane through fewer neighbours says little. */
const LEAST_AROUND = 5;

/** Distance from each point to the nearest other one, mm; NaN where there is none within four spacings. O(n · neighbours). */
export function localSpacing(cloud: PointCloud, spacing: number, ctx: RunContext): Float32Array {
  return overSurroundings(cloud, spacing, ctx, (_, near, squared, found) => {
    let least = Infinity;
    for (let k = 0; k < found; k++) if (squared[k] > 0 && squared[k] < least) least = squared[k];
    return found > 1 && least < Infinity ? Math.sqrt(least) : NaN;
  });
}

/**
 * How far each point lies off the surface that its neighbours within four spacings make, along its normal, mm; NaN where
 * there are too few, and for all without normals. On a curved surface it counts about a quarter of the square of
 * that reach over the radius of curvature as well. O(n · neighbours).
 */
export function localNoise(cloud: PointCloud, spacing: number, ctx: RunContext): Float32Array {
  const { positions: p, normals: n } = cloud;
  if (!n) return new Float32Array(p.length / 3).fill(NaN);
  return overSurroundings(cloud, spacing, ctx, (i, near, _, found) => {
    if (found < LEAST_AROUND + 1) return NaN;
    let off = 0;
    for (let k = 0; k < found; k++) {
      const j = 3 * near[k];
      off += n[i] * (p[j] - p[i]) + n[i + 1] * (p[j + 1] - p[i + 1]) + n[i + 2] * (p[j + 2] - p[i + 2]);
    }
    // The point itself is among those found, and adds nothing.
    return Math.abs(off / (found - 1));
  });
}

/** A value for each point from its neighbours; `first` is the index of its x, `squared` holds their squared distances. */
function overSurroundings(
  { positions: p }: PointCloud,
  spacing: number,
  ctx: RunContext,
  value: (first: number, near: Uint32Array, squared: Float32Array, found: number) => number,
): Float32Array {
  const reach = AROUND * spacing;
  const grid = new PointGrid(p, reach / 2);
  const near = new Uint32Array(MOST_AROUND);
  const squared = new Float32Array(MOST_AROUND);
  const out = new Float32Array(p.length / 3);
  for (let s = 0; s < out.length; s++) {
    if ((s & 8191) === 0) ctx.checkpoint(s / out.length);
    const i = 3 * grid.order[s];
    out[grid.order[s]] = value(i, near, squared, grid.within(p[i], p[i + 1], p[i + 2], reach, near, squared));
  }
  return out;
}

/**
 * Cosine between a point's normal and the direction it is best seen from: 1 is seen squarely, 0 along the surface.
 * All 1 without normals or viewpoints. O(n · viewpoints).
 */
export function steepness(cloud: PointCloud, viewpoints: readonly Vec3[]): Float32Array {
  const n = pointCount(cloud);
  const p = cloud.positions;
  const { normals } = cloud;
  const out = new Float32Array(n);
  if (!normals || viewpoints.length === 0) return out.fill(1);
  for (let i = 0; i < n; i++) {
    let best = 0;
    for (const v of viewpoints) {
      const dx = v[0] - p[3 * i];
      const dy = v[1] - p[3 * i + 1];
      const dz = v[2] - p[3 * i + 2];
      const dot = dx * normals[3 * i] + dy * normals[3 * i + 1] + dz * normals[3 * i + 2];
      best = Math.max(best, Math.abs(dot) / (Math.hypot(dx, dy, dz) || 1));
    }
    out[i] = best;
  }
  return out;
}

/**
 * Points of the loose piece that a point belongs to, over those of the largest piece (0–1). Pieces are points in
 * touching cubes of three spacings; points that `keep` leaves out belong to none and count 0. O(n).
 */
export function pieceShare(cloud: PointCloud, keep: Uint8Array, spacing: number): Float32Array {
  const n = pointCount(cloud);
  const out = new Float32Array(n);
  const { cubeOf, sets } = linkCubes(cloud.positions, keep, 3 * spacing);
  const members = new Uint32Array(sets.size);
  for (let i = 0; i < n; i++) if (keep[i]) members[sets.find(cubeOf[i])]++;
  let largest = 1;
  for (const m of members) largest = Math.max(largest, m);
  for (let i = 0; i < n; i++) if (keep[i]) out[i] = members[sets.find(cubeOf[i])] / largest;
  return out;
}

/** Numbers the cubes of edge `cell` that hold kept points, and joins those that touch (26 neighbours). */
function linkCubes(p: Float32Array, keep: Uint8Array, cell: number): { cubeOf: Int32Array; sets: DisjointSets } {
  const n = keep.length;
  const { min } = boundsOf(p);
  const table = new VoxelTable(n / 8);
  const cubeOf = new Int32Array(n).fill(-1);
  const coords: number[] = [];
  for (let i = 0; i < n; i++) {
    if (!keep[i]) continue;
    const x = Math.floor((p[3 * i] - min[0]) / cell);
    const y = Math.floor((p[3 * i + 1] - min[1]) / cell);
    const z = Math.floor((p[3 * i + 2] - min[2]) / cell);
    const before = table.size;
    cubeOf[i] = table.insert(x, y, z);
    if (table.size > before) coords.push(x, y, z);
  }
  const sets = new DisjointSets(table.size);
  for (let c = 0; c < table.size; c++) {
    for (let k = 0; k < 13; k++) {
      // Half of the 26 neighbours: the other half finds this cube from its side.
      const other = table.find(
        coords[3 * c] + (k % 3) - 1,
        coords[3 * c + 1] + (Math.floor(k / 3) % 3) - 1,
        coords[3 * c + 2] + Math.floor(k / 9) - 1,
      );
      if (other >= 0) sets.union(c, other);
    }
  }
  return { cubeOf, sets };
}

import { boundsOf, filterPoints, pointCount, type PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';
import { PointGrid } from '../spatial/point-grid.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import { estimateSpacing } from './spacing.js';

export interface RemoveStrayPointsOptions {
  /** A point stays if at least this share of the usual number of neighbours lies around it (0–1). */
  densityRatio: number;
  /** Pieces with less than this share of the largest piece's points are dropped (0–1). */
  pieceRatio: number;
  /** Points whose surface is seen at a flatter angle than this (radians from the normal) are dropped; needs normals. */
  maxIncidenceRad: number;
}

export const REMOVE_STRAY_POINTS_DEFAULTS: RemoveStrayPointsOptions = {
  densityRatio: 0.25,
  pieceRatio: 0.02,
  maxIncidenceRad: (82 * Math.PI) / 180,
};

export interface RemoveStrayPointsResult {
  cloud: PointCloud;
  keep: Uint8Array;
  sparse: number;
  grazing: number;
  smallPieces: number;
}

/**
 * Drops points that stand alone (flying pixels, dust), points seen at a grazing angle, and small loose pieces.
 * Neighbours are counted within 2.5 spacings and compared with the cloud's median count; pieces are points in
 * touching cubes of three spacings. The three tests apply one after the other. O(n · neighbours).
 */
export function removeStrayPoints(
  cloud: PointCloud,
  viewpoints: Vec3[],
  options: Partial<RemoveStrayPointsOptions>,
  ctx: RunContext,
): RemoveStrayPointsResult {
  const o = { ...REMOVE_STRAY_POINTS_DEFAULTS, ...options };
  const n = pointCount(cloud);
  const p = cloud.positions;
  const keep = new Uint8Array(n).fill(1);
  const spacing = estimateSpacing(cloud);
  if (!(spacing > 0)) return { cloud, keep, sparse: 0, grazing: 0, smallPieces: 0 };

  const radius = 2.5 * spacing;
  const grid = new PointGrid(p, radius);
  const ids = new Uint32Array(128);
  const counts = new Uint16Array(n);
  for (let s = 0; s < n; s++) {
    if ((s & 8191) === 0) ctx.checkpoint((0.8 * s) / n);
    const i = grid.order[s];
    counts[i] = grid.within(p[3 * i], p[3 * i + 1], p[3 * i + 2], radius, ids);
  }
  const median = counts.slice().sort()[n >> 1];
  const least = Math.max(2, o.densityRatio * median);
  let sparse = 0;
  for (let i = 0; i < n; i++) {
    if (counts[i] < least) {
      keep[i] = 0;
      sparse++;
    }
  }

  let grazing = 0;
  if (cloud.normals && viewpoints.length > 0) {
    const cosLimit = Math.cos(o.maxIncidenceRad);
    for (let i = 0; i < n; i++) {
      if (!keep[i]) continue;
      let best = 0;
      for (const v of viewpoints) {
        const dx = v[0] - p[3 * i];
        const dy = v[1] - p[3 * i + 1];
        const dz = v[2] - p[3 * i + 2];
        const dot = dx * cloud.normals[3 * i] + dy * cloud.normals[3 * i + 1] + dz * cloud.normals[3 * i + 2];
        best = Math.max(best, Math.abs(dot) / (Math.hypot(dx, dy, dz) || 1));
      }
      if (best < cosLimit) {
        keep[i] = 0;
        grazing++;
      }
    }
  }

  const { cubeOf, sets } = linkCubes(p, keep, 3 * spacing);
  ctx.checkpoint(0.9);
  const members = new Uint32Array(sets.size);
  for (let i = 0; i < n; i++) if (keep[i]) members[sets.find(cubeOf[i])]++;
  let largest = 0;
  for (let i = 0; i < n; i++) if (keep[i]) largest = Math.max(largest, members[sets.find(cubeOf[i])]);
  let smallPieces = 0;
  for (let i = 0; i < n; i++) {
    if (keep[i] && members[sets.find(cubeOf[i])] < o.pieceRatio * largest) {
      keep[i] = 0;
      smallPieces++;
    }
  }
  return { cloud: filterPoints(cloud, keep), keep, sparse, grazing, smallPieces };
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

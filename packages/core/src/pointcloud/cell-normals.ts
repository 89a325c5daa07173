import { boundsOf, type PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import { estimateNoise } from './noise.js';
import { estimateNormals, type EstimatedNormals } from './normals.js';
import { orientNormals } from './orient-normals.js';
import { estimateSpacing } from './spacing.js';

/** Edge of a cell in spacings, at least: on a surface about eight points fall into one. */
const SPACINGS = 2.8;
/** And in noise: the layer of points on a surface lies in a cell or two. */
const NOISES = 3;
/** Cells of the grid in which they are searched: its memory is what counts among so many points. */
const MOST_CELLS = 1 << 24;
/** Reach of a cell's normal in cells: about fifteen of them. */
const REACH = 2.2;

/**
 * Normals of a very dense cloud: of the mean points of the cells of a grid, and each point has that of its cell. Where the
 * points lie closer together than their noise, the means tell more than the nearest neighbours, in a third of the
 * time; a detail smaller than two cells is lost. The side is that of the viewpoints, else it is worked out from the
 * shape. O(n).
 *
 * Source: as `estimateNormals`, on the thinned cloud (H. Hoppe, T. DeRose, T. Duchamp, J. McDonald, W. Stuetzle 1992).
 */
export function estimateNormalsByCell(cloud: PointCloud, viewpoints: Vec3[], ctx: RunContext): EstimatedNormals {
  const spacing = estimateSpacing(cloud);
  const noise = estimateNoise(cloud, spacing) || 0;
  const cell = Math.max(SPACINGS * spacing, NOISES * noise) || 1;
  ctx.checkpoint(0.05, 'Working out normals');
  const { cellOf, means } = cellMeans(cloud.positions, cell);
  ctx.checkpoint(0.3);
  const found = estimateNormals(
    { positions: means },
    viewpoints,
    { radius: REACH * cell, maxCells: MOST_CELLS },
    ctx.part(0.3, 0.8),
  ).normals;
  const normals = viewpoints.length > 0 ? found : orientNormals(means, found, ctx.part(0.8, 0.95));
  return { normals: spreadOut(normals, cellOf), noise };
}

interface Cells {
  /** Cell of each point. */
  cellOf: Uint32Array;
  means: Float32Array;
}

function cellMeans(p: Float32Array, cell: number): Cells {
  const n = p.length / 3;
  const { min } = boundsOf(p);
  const table = new VoxelTable(n / 8);
  const cellOf = new Uint32Array(n);
  for (let i = 0; i < n; i++) {
    cellOf[i] = table.insert(
      Math.floor((p[3 * i] - min[0]) / cell),
      Math.floor((p[3 * i + 1] - min[1]) / cell),
      Math.floor((p[3 * i + 2] - min[2]) / cell),
    );
  }
  const counts = new Uint32Array(table.size);
  // Running means keep their digits far from the origin, where sums of single precision would not.
  const means = new Float32Array(3 * table.size);
  for (let i = 0; i < n; i++) {
    const c = cellOf[i];
    const w = 1 / ++counts[c];
    for (let k = 0; k < 3; k++) means[3 * c + k] += (p[3 * i + k] - means[3 * c + k]) * w;
  }
  return { cellOf, means };
}

function spreadOut(normals: Float32Array, cellOf: Uint32Array): Float32Array {
  const out = new Float32Array(3 * cellOf.length);
  for (let i = 0; i < cellOf.length; i++) {
    const c = 3 * cellOf[i];
    out[3 * i] = normals[c];
    out[3 * i + 1] = normals[c + 1];
    out[3 * i + 2] = normals[c + 2];
  }
  return out;
}

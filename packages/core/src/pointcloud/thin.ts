import { boundsOf, pointCount, type PointCloud } from '../geometry/point-cloud.js';
import { VoxelTable } from '../spatial/voxel-keys.js';

/** Cell of a point grid that the thinning averages over. */
export interface ThinResult {
  cloud: PointCloud;
  /** How many points went into each point of the result. */
  weights: Uint32Array;
}

/**
 * Thins a cloud to one point per cube of edge `cell` (mm): positions, normals and colours are averaged, which evens
 * out noise. Normals that point away from the first one in a cube start no cube of their own, so thin walls should be
 * thicker than `cell`. Result order follows the first point of each cube. O(n).
 */
export function thinByVoxel(cloud: PointCloud, cell: number): ThinResult {
  const n = pointCount(cloud);
  const { positions: p, normals, colors } = cloud;
  const { min } = boundsOf(p);
  const table = new VoxelTable(n / 4);
  let capacity = Math.max(1024, n >> 2);
  let sums = new Float64Array(10 * capacity);
  // Neighbouring pixels mostly share their cube: it is looked up once.
  let lastX = NaN;
  let lastY = NaN;
  let lastZ = NaN;
  let slot = 0;
  for (let i = 0; i < 3 * n; i += 3) {
    const x = Math.floor((p[i] - min[0]) / cell);
    const y = Math.floor((p[i + 1] - min[1]) / cell);
    const z = Math.floor((p[i + 2] - min[2]) / cell);
    if (x !== lastX || y !== lastY || z !== lastZ) {
      slot = table.insert(x, y, z);
      lastX = x;
      lastY = y;
      lastZ = z;
    }
    if (slot >= capacity) {
      capacity *= 2;
      const larger = new Float64Array(10 * capacity);
      larger.set(sums);
      sums = larger;
    }
    const s = 10 * slot;
    sums[s]++;
    sums[s + 1] += p[i];
    sums[s + 2] += p[i + 1];
    sums[s + 3] += p[i + 2];
    if (normals) {
      sums[s + 4] += normals[i];
      sums[s + 5] += normals[i + 1];
      sums[s + 6] += normals[i + 2];
    }
    if (colors) {
      sums[s + 7] += colors[i];
      sums[s + 8] += colors[i + 1];
      sums[s + 9] += colors[i + 2];
    }
  }
  const m = table.size;
  const out: PointCloud = { positions: new Float32Array(3 * m) };
  if (normals) out.normals = new Float32Array(3 * m);
  if (colors) out.colors = new Uint8Array(3 * m);
  const weights = new Uint32Array(m);
  for (let i = 0; i < m; i++) {
    const s = 10 * i;
    const w = sums[s];
    weights[i] = w;
    const length = Math.hypot(sums[s + 4], sums[s + 5], sums[s + 6]) || 1;
    for (let k = 0; k < 3; k++) {
      out.positions[3 * i + k] = sums[s + 1 + k] / w;
      if (out.normals) out.normals[3 * i + k] = sums[s + 4 + k] / length;
      if (out.colors) out.colors[3 * i + k] = Math.round(sums[s + 7 + k] / w);
    }
  }
  return { cloud: out, weights };
}

import { invertRigid, multiply } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import type { SelectableCloud } from './selectable-cloud.js';

/** How far away, in spacings of the wider cloud, a point of another scan still counts as the same surface. */
const REACH = 6;
/** How far beside the nearest point, in its spacings, a place still counts as seen: beyond is the scan's rim. */
const BESIDE = 2;
/** Cosine between normals below which two points lie on different sides of a wall. */
const SAME_SIDE = 0.5;

/**
 * How far every point lies from the surface of the other scans, mm: the distance to the nearest point of each other
 * cloud, along that point's normal where there is one, and of those the mean. NaN for points that no other scan has
 * seen (nothing within six spacings, only the rim of a scan beside it, or only the other side of a wall) and for points
 * cut away. O(points · clouds).
 */
export function measureResiduals(clouds: readonly SelectableCloud[], ctx: RunContext): Float32Array[] {
  const grids = clouds.map((c) => gridOf(c));
  return clouds.map((cloud, a) => {
    const { positions: p, normals: own, present } = cloud;
    const n = present.size;
    const sum = new Float32Array(n);
    const count = new Uint8Array(n);
    clouds.forEach((other, b) => {
      if (a === b) return;
      ctx.checkpoint((a + b / clouds.length) / clouds.length);
      const m = multiply(invertRigid(other.viewFromScan), cloud.viewFromScan);
      const { grid, ids } = grids[b];
      const { positions: q, normals } = other;
      const beside = BESIDE * other.spacing;
      const reach = REACH * Math.max(cloud.spacing, other.spacing);
      for (let i = 0, j = 0; i < n; i++, j += 3) {
        if (!present.has(i)) continue;
        const x = m[0] * p[j] + m[4] * p[j + 1] + m[8] * p[j + 2] + m[12];
        const y = m[1] * p[j] + m[5] * p[j + 1] + m[9] * p[j + 2] + m[13];
        const z = m[2] * p[j] + m[6] * p[j + 1] + m[10] * p[j + 2] + m[14];
        const near = grid.nearest(x, y, z, reach);
        if (near < 0) continue;
        const k = 3 * ids[near];
        let off = Math.sqrt(grid.foundSquared);
        if (normals) {
          const [nx, ny, nz] = [normals[k], normals[k + 1], normals[k + 2]];
          off = Math.abs(nx * (x - q[k]) + ny * (y - q[k + 1]) + nz * (z - q[k + 2]));
          if (grid.foundSquared - off * off > beside * beside) continue;
          if (own) {
            const ux = m[0] * own[j] + m[4] * own[j + 1] + m[8] * own[j + 2];
            const uy = m[1] * own[j] + m[5] * own[j + 1] + m[9] * own[j + 2];
            const uz = m[2] * own[j] + m[6] * own[j + 1] + m[10] * own[j + 2];
            if (ux * nx + uy * ny + uz * nz < SAME_SIDE) continue;
          }
        }
        sum[i] += off;
        count[i]++;
      }
    });
    return sum.map((s, i) => (count[i] > 0 ? s / count[i] : NaN));
  });
}

function gridOf({ positions, present, spacing }: SelectableCloud): { grid: PointGrid; ids: Uint32Array } {
  const ids = present.toArray();
  const there = new Float32Array(3 * ids.length);
  for (let s = 0; s < ids.length; s++) there.set(positions.subarray(3 * ids[s], 3 * ids[s] + 3), 3 * s);
  return { grid: new PointGrid(there, REACH * spacing), ids };
}

import { pointCount, type PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';
import { smallestEigenvector3 } from '../math/eigen.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import { estimateSpacing } from './spacing.js';

export interface EstimateNormalsOptions {
  /** Neighbourhood radius in mm; 0 = three and a half times the spacing (about 30 neighbours). */
  radius: number;
  /** Cells of the search grid at most, 0 = as many as serve speed; fewer take less memory and more time. */
  maxCells: number;
}

export const ESTIMATE_NORMALS_DEFAULTS: EstimateNormalsOptions = { radius: 0, maxCells: 0 };

export interface EstimatedNormals {
  /** 3n, unit. Points with fewer than 4 neighbours get the direction to the nearest viewpoint, or +Z. */
  normals: Float32Array;
  /** Distance of each point to its own fitted plane, root mean square over the cloud: an estimate of the noise, mm. */
  noise: number;
}

/**
 * Normals from the principal directions of the points within a radius, turned towards the nearest viewpoint (where
 * the sensor stood, in the cloud's frame). Without viewpoints they keep the side of the cloud's own normals, and
 * without those their sign is arbitrary. O(n · neighbours).
 *
 * Source: H. Hoppe, T. DeRose, T. Duchamp, J. McDonald, W. Stuetzle (1992), Surface reconstruction from unorganized
 * points. Deviation: a fixed radius instead of k neighbours, which needs no sorting and weighs all directions alike.
 */
export function estimateNormals(
  cloud: PointCloud,
  viewpoints: Vec3[],
  options: Partial<EstimateNormalsOptions>,
  ctx: RunContext,
): EstimatedNormals {
  const n = pointCount(cloud);
  const p = cloud.positions;
  const radius = options.radius || 3.5 * estimateSpacing(cloud) || 1;
  const grid = new PointGrid(p, radius, options.maxCells || undefined);
  const moments = new Float64Array(10);
  const normals = new Float32Array(3 * n);
  const known = viewpoints.length === 0 ? cloud.normals : undefined;
  const out = new Float64Array(3);
  let residual = 0;
  let fitted = 0;
  // Walk in grid order: neighbours of consecutive points are in cache.
  for (let s = 0; s < n; s++) {
    if ((s & 8191) === 0) ctx.checkpoint(s / n);
    const i = grid.order[s];
    const x = p[3 * i];
    const y = p[3 * i + 1];
    const z = p[3 * i + 2];
    grid.moments(x, y, z, radius, moments);
    const count = moments[0];
    let toX = 0;
    let toY = 0;
    let toZ = 1;
    if (known) {
      toX = known[3 * i];
      toY = known[3 * i + 1];
      toZ = known[3 * i + 2];
    }
    let nearest = Infinity;
    for (let v = 0; v < viewpoints.length; v++) {
      const dx = viewpoints[v][0] - x;
      const dy = viewpoints[v][1] - y;
      const dz = viewpoints[v][2] - z;
      const d = dx * dx + dy * dy + dz * dz;
      if (d < nearest) {
        nearest = d;
        toX = dx;
        toY = dy;
        toZ = dz;
      }
    }
    if (count < 4) {
      const l = Math.hypot(toX, toY, toZ) || 1;
      normals[3 * i] = toX / l;
      normals[3 * i + 1] = toY / l;
      normals[3 * i + 2] = toZ / l;
      continue;
    }
    const [, sx, sy, sz, xx, xy, xz, yy, yz, zz] = moments;
    const w = 1 / count;
    smallestEigenvector3(
      xx - sx * sx * w,
      xy - sx * sy * w,
      xz - sx * sz * w,
      yy - sy * sy * w,
      yz - sy * sz * w,
      zz - sz * sz * w,
      out,
    );
    const sign = out[0] * toX + out[1] * toY + out[2] * toZ < 0 ? -1 : 1;
    normals[3 * i] = sign * out[0];
    normals[3 * i + 1] = sign * out[1];
    normals[3 * i + 2] = sign * out[2];
    const off = (out[0] * sx + out[1] * sy + out[2] * sz) * w;
    // The point itself is one of `count` in its mean, which shrinks the residual; undo that.
    residual += (off * off * count) / (count - 1);
    fitted++;
  }
  return { normals, noise: fitted ? Math.sqrt(residual / fitted) : 0 };
}

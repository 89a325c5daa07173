import type { PointCloud } from '../geometry/point-cloud.js';
import type { PointGrid } from '../spatial/point-grid.js';

/** Turn of the neighbours' normals at which a point's plane is trusted by half, squared chord (about 41°). */
const BENT = 0.5;

/**
 * How far each point's plane can be trusted (0–1). On crisp edges thinned points and their normals belong to neither
 * face: they lie beside both, and many of them together draw scans along the faces. Trust falls with the mean squared
 * difference of the normals around a point.
 *
 * Same aim as A. Segal, D. Haehnel, S. Thrun (2009), Generalized-ICP: points weigh by how flat their surroundings are.
 * O(n · neighbours).
 *
 * @param cell spacing of the cloud, mm; needs normals
 */
export function surfaceTrust(cloud: PointCloud, grid: PointGrid, cell: number): Float32Array {
  const p = cloud.positions;
  const n = cloud.normals!;
  const trust = new Float32Array(p.length / 3);
  const near = new Uint32Array(64);
  for (let i = 0; i < trust.length; i++) {
    const a = 3 * i;
    const count = Math.min(near.length, grid.within(p[a], p[a + 1], p[a + 2], 1.5 * cell, near));
    let bent = 0;
    for (let k = 0; k < count; k++) {
      const b = 3 * near[k];
      bent += 2 - 2 * (n[a] * n[b] + n[a + 1] * n[b + 1] + n[a + 2] * n[b + 2]);
    }
    const mean = count > 1 ? bent / (count - 1) : 0;
    trust[i] = 1 / (1 + (mean / BENT) ** 2);
  }
  return trust;
}

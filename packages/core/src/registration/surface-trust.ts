import type { PointCloud } from '../geometry/point-cloud.js';
import type { PointGrid } from '../spatial/point-grid.js';

/** Neighbours are looked at within so many cells. */
const REACH = 1.5;
/** Turn of the neighbours' normals at which a point's plane is trusted by half, squared chord (about 41°). */
const BENT = 0.5;
/**
 * How far aside the middle of the neighbours lies where a point is trusted by half, in their reach. At a straight rim it is
 * 4 / 3π = 0.42, amid even points none.
 */
const ASIDE = 0.26;
/** How sharply trust falls there. */
const SHARPNESS = 6;

/**
 * How far each point's plane can be trusted (0–1). On crisp edges thinned points and their normals belong to neither
 * face: they lie beside both, and many of them together draw scans along the faces. At the rims of a scan a plane is
 * laid through points of one side only, and leans where the surface bends; on flat faces it does not. Trust falls with the
 * mean squared difference of the normals around a point, and off the faces with how far aside its neighbours lie.
 *
 * Sources: A. Segal, D. Haehnel, S. Thrun (2009), Generalized-ICP, for the aim that points weigh by how flat their
 * surroundings are; G. Turk, M. Levoy (1994), Zippered polygon meshes from range images, who leave pairs on rims out.
 * O(n · neighbours).
 *
 * @param cell spacing of the cloud, mm; needs normals
 * @param onFace 1 for points on flat faces, whose normals are those of the faces; without it rims are trusted like the rest
 */
export function surfaceTrust(cloud: PointCloud, grid: PointGrid, cell: number, onFace?: Uint8Array): Float32Array {
  const p = cloud.positions;
  const n = cloud.normals!;
  const trust = new Float32Array(p.length / 3);
  const near = new Uint32Array(64);
  for (let i = 0; i < trust.length; i++) {
    const a = 3 * i;
    const count = Math.min(near.length, grid.within(p[a], p[a + 1], p[a + 2], REACH * cell, near));
    let bent = 0;
    let x = 0;
    let y = 0;
    let z = 0;
    for (let k = 0; k < count; k++) {
      const b = 3 * near[k];
      x += p[b] - p[a];
      y += p[b + 1] - p[a + 1];
      z += p[b + 2] - p[a + 2];
      bent += 2 - 2 * (n[a] * n[b] + n[a + 1] * n[b + 1] + n[a + 2] * n[b + 2]);
    }
    const mean = count > 1 ? bent / (count - 1) : 0;
    const along = x * n[a] + y * n[a + 1] + z * n[a + 2];
    const aside = Math.sqrt(Math.max(0, x * x + y * y + z * z - along * along)) / Math.max(1, count) / (REACH * cell);
    const rim = !onFace || onFace[i] ? 0 : (aside / ASIDE) ** SHARPNESS;
    trust[i] = 1 / (1 + (mean / BENT) ** 2) / (1 + rim);
  }
  return trust;
}

import { pointCount, type PointCloud } from '../geometry/point-cloud.js';
import { invertRigid, type Mat4 } from '../math/mat4.js';
import type { PointGrid } from '../spatial/point-grid.js';
import type { PreparedScan } from './prepared-scan.js';
import { countSeenThrough } from './range-view.js';

/** What speaks for and against one scan sitting on another in a given way. Counts are of coarse points. */
export interface Evidence {
  /** Points with a partner on the other scan, both directions together. */
  matched: number;
  /** Points tried for a partner. */
  tried: number;
  /** Points that the other sensor looked through. */
  through: number;
  /** Points that the other sensor could judge. */
  judged: number;
}

/** One looked-through point weighs as much against a placement as this many partners weigh for it. */
export const THROUGH_PENALTY = 4;

export const noEvidence = (): Evidence => ({ matched: 0, tried: 0, through: 0, judged: 0 });

export function addEvidence(to: Evidence, more: Evidence): void {
  to.matched += more.matched;
  to.tried += more.tried;
  to.through += more.through;
  to.judged += more.judged;
}

/** Partners gained less what is contradicted; comparable between placements of the same scans. */
export function evidenceScore(e: Evidence): number {
  return e.matched - THROUGH_PENALTY * Math.max(0, e.through - 0.01 * e.judged);
}

export function throughRatio(e: Evidence): number {
  return e.judged > 0 ? e.through / e.judged : 0;
}

/** Judges `bFromA` from both sides: overlap with agreeing normals, and free space. O(points). */
export function judgePlacement(a: PreparedScan, b: PreparedScan, bFromA: Mat4, cell: number): Evidence {
  const aFromB = invertRigid(bFromA);
  const out = noEvidence();
  const step = 2;
  out.matched =
    step * countPartners(a.coarse, b.coarse, b.coarseGrid, bFromA, 1.1 * cell, step) +
    step * countPartners(b.coarse, a.coarse, a.coarseGrid, aFromB, 1.1 * cell, step);
  out.tried = pointCount(a.coarse) + pointCount(b.coarse);
  const margin = 1.6 * cell;
  for (const view of b.views) {
    const c = countSeenThrough(view, bFromA, a.coarse.positions, margin);
    out.through += c.through / b.views.length;
    out.judged += c.judged / b.views.length;
  }
  for (const view of a.views) {
    const c = countSeenThrough(view, aFromB, b.coarse.positions, margin);
    out.through += c.through / a.views.length;
    out.judged += c.judged / a.views.length;
  }
  return out;
}

function countPartners(
  source: PointCloud,
  target: PointCloud,
  grid: PointGrid,
  m: Mat4,
  radius: number,
  step: number,
): number {
  const p = source.positions;
  const pn = source.normals!;
  const qn = target.normals!;
  let count = 0;
  for (let i = 0; i < p.length; i += 3 * step) {
    const hit = grid.nearest(
      m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12],
      m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13],
      m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14],
      radius,
    );
    if (hit < 0) continue;
    const x = m[0] * pn[i] + m[4] * pn[i + 1] + m[8] * pn[i + 2];
    const y = m[1] * pn[i] + m[5] * pn[i + 1] + m[9] * pn[i + 2];
    const z = m[2] * pn[i] + m[6] * pn[i + 1] + m[10] * pn[i + 2];
    if (x * qn[3 * hit] + y * qn[3 * hit + 1] + z * qn[3 * hit + 2] > 0.6) count++;
  }
  return count;
}

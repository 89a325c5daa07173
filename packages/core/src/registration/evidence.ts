import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { PreparedScan } from './prepared-scan.js';

/** What speaks for and against one scan sitting on another in a given way. Counts are of sampled fine points. */
export interface Evidence {
  /** Points that lie on the other scan's surface. */
  matched: number;
  /** Points beside the other surface, turned like it but clearly off it. */
  off: number;
  /** Points that the other sensor looked through. */
  through: number;
  /** Points facing the other sensor where it measured nothing. */
  missing: number;
  /** Points that the other sensor could judge. */
  judged: number;
}

/** How strict the tests are, mm. */
export interface EvidenceScale {
  /** Cell of the fine clouds. */
  cell: number;
  noise: number;
}

/** One contradiction weighs as much against a placement as this many partners weigh for it. */
const PENALTY = 10;

export const noEvidence = (): Evidence => ({ matched: 0, off: 0, through: 0, missing: 0, judged: 0 });

export function addEvidence(to: Evidence, more: Evidence): void {
  to.matched += more.matched;
  to.off += more.off;
  to.through += more.through;
  to.missing += more.missing;
  to.judged += more.judged;
}

/**
 * Points that contradict a placement. Right placements have a few as well, from noise and from edges: 0.4 % looked
 * through and 5 % off are not counted. A missing point is weaker evidence (drop-outs happen), one that is off weaker
 * still (edges). The shares were found on simulated scans; common practice, no source.
 */
export function contradictions(e: Evidence): number {
  return Math.max(0, e.through - 0.004 * e.judged) + 0.5 * e.missing + 0.3 * Math.max(0, e.off - 0.05 * e.matched);
}

/**
 * Partners gained less what is contradicted; comparable between placements of the same scans. Overlap alone would
 * mislead on round objects: turned wrongly, their scans overlap more, not less.
 */
export function evidenceScore(e: Evidence): number {
  return e.matched - PENALTY * contradictions(e);
}

/** Score per partner: 1 = nothing contradicts, below 0 = more speaks against it than for it. */
export function evidenceQuality(e: Evidence): number {
  return e.matched > 0 ? evidenceScore(e) / e.matched : -Infinity;
}

/** Judges `bFromA` from both sides with `samples` points each. O(samples). */
export function judgePlacement(
  a: PreparedScan,
  b: PreparedScan,
  bFromA: Mat4,
  scale: EvidenceScale,
  samples: number,
): Evidence {
  const out = noEvidence();
  judgeOneWay(a, b, bFromA, scale, samples, out);
  judgeOneWay(b, a, invertRigid(bFromA), scale, samples, out);
  return out;
}

function judgeOneWay(
  source: PreparedScan,
  target: PreparedScan,
  m: Mat4,
  scale: EvidenceScale,
  samples: number,
  out: Evidence,
): void {
  const p = source.fine.positions;
  const pn = source.fine.normals!;
  const q = target.fine.positions;
  const qn = target.fine.normals!;
  const on = Math.max(0.3 * scale.cell, 4 * scale.noise);
  const off = Math.max(0.4 * scale.cell, 6 * scale.noise);
  const lateral = (1.3 * scale.cell) ** 2;
  // Beyond the other scan's rim its nearest point says nothing: only what lies straight above or below counts.
  const above = scale.cell ** 2;
  const margin = Math.max(1.05 * scale.cell, 8 * scale.noise);
  const views = target.views.map((v) => ({ view: v, m: multiply(v.sensorFromScan, m) }));
  const share = 1 / Math.max(1, views.length);
  const count = Math.min(samples, source.shuffle.length);
  // Counts are scaled so that scans of any size weigh by their surface.
  const weight = source.shuffle.length / count;
  let matched = 0;
  let beside = 0;
  let through = 0;
  let missing = 0;
  let judged = 0;
  for (let s = 0; s < count; s++) {
    const i = 3 * source.shuffle[s];
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    const hit = target.fineGrid.nearest(x, y, z, 2 * scale.cell);
    if (hit >= 0) {
      const k = 3 * hit;
      const nx = m[0] * pn[i] + m[4] * pn[i + 1] + m[8] * pn[i + 2];
      const ny = m[1] * pn[i] + m[5] * pn[i + 1] + m[9] * pn[i + 2];
      const nz = m[2] * pn[i] + m[6] * pn[i + 1] + m[10] * pn[i + 2];
      const r = Math.abs((x - q[k]) * qn[k] + (y - q[k + 1]) * qn[k + 1] + (z - q[k + 2]) * qn[k + 2]);
      const facing = nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2];
      if (r < on && target.fineGrid.foundSquared < lateral && facing > 0.8) matched++;
      else if (r > off && facing > 0.5 && target.fineGrid.foundSquared - r * r < above) beside++;
    }
    for (const { view, m: t } of views) {
      const vz = t[2] * p[i] + t[6] * p[i + 1] + t[10] * p[i + 2] + t[14];
      if (vz <= 0) continue;
      const vx = t[0] * p[i] + t[4] * p[i + 1] + t[8] * p[i + 2] + t[12];
      const vy = t[1] * p[i] + t[5] * p[i + 1] + t[9] * p[i + 2] + t[13];
      const u = Math.round(view.size / 2 + (view.focal * vx) / vz);
      const v = Math.round(view.size / 2 + (view.focal * vy) / vz);
      if (u < 1 || v < 1 || u >= view.size - 1 || v >= view.size - 1) continue;
      const near = view.nearest[v * view.size + u];
      if (near > 0) {
        judged += share;
        if (vz < near - margin) through += share;
      } else if (near === 0) {
        const a = t[0] * pn[i] + t[4] * pn[i + 1] + t[8] * pn[i + 2];
        const b = t[1] * pn[i] + t[5] * pn[i + 1] + t[9] * pn[i + 2];
        const c = t[2] * pn[i] + t[6] * pn[i + 1] + t[10] * pn[i + 2];
        if (-(a * vx + b * vy + c * vz) > 0.5 * Math.hypot(vx, vy, vz)) missing += share;
      }
    }
  }
  out.matched += weight * matched;
  out.off += weight * beside;
  out.through += weight * through;
  out.missing += weight * missing;
  out.judged += weight * judged;
}

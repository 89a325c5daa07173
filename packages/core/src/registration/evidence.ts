import type { PlacementAgreement } from '../geometry/scan.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { PreparedScan } from './prepared-scan.js';
import { keepsSupport } from './shared-support.js';
import { comparePaint } from './surface-paint.js';

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
  /** Points of scans whose supports would not fall together, though they are of one setup. */
  offSupport: number;
  /** Painted points that could be compared with the other scan's paint. */
  painted: number;
  /** Painted points where the other scan has no such paint. */
  clashing: number;
  /** Sampled partners whose fine contrast was compared, and the sums for their correlation. */
  grains: number;
  grainA: number;
  grainB: number;
  grainAB: number;
  /** Independent spots of the two surfaces among those that were sampled from. */
  grainSpots: number;
}

/** How strict the tests are, mm. */
export interface EvidenceScale {
  /** Cell of the fine clouds. */
  cell: number;
  noise: number;
}

/** One contradiction weighs as much against a placement as this many partners weigh for it. */
export const PENALTY = 10;
/**
 * Painted points from which on the marks are believed by half, soon all but fully above it and hardly below: a spot of
 * paint has some ten fine points, each counted from both sides in every pair, and glare makes a few.
 */
const FEW_MARKS = 40;

export const noEvidence = (): Evidence => ({
  matched: 0,
  off: 0,
  through: 0,
  missing: 0,
  judged: 0,
  offSupport: 0,
  painted: 0,
  clashing: 0,
  grains: 0,
  grainA: 0,
  grainB: 0,
  grainAB: 0,
  grainSpots: 0,
});

export const withoutMarks = (e: Evidence): Evidence => ({ ...e, painted: 0, clashing: 0 });

export function addEvidence(to: Evidence, more: Evidence): void {
  to.matched += more.matched;
  to.off += more.off;
  to.through += more.through;
  to.missing += more.missing;
  to.judged += more.judged;
  to.offSupport += more.offSupport;
  to.painted += more.painted;
  to.clashing += more.clashing;
  to.grains += more.grains;
  to.grainA += more.grainA;
  to.grainB += more.grainB;
  to.grainAB += more.grainAB;
  to.grainSpots += more.grainSpots;
}

/**
 * Points that contradict a placement. Right placements have a few as well, from noise and from edges: 0.4 % looked
 * through and 5 % off are not counted. A missing point is weaker evidence (drop-outs happen), one that is off weaker
 * still (edges). The shares were found on simulated scans; common practice, no source.
 */
export function contradictions(e: Evidence): number {
  return (
    Math.max(0, e.through - 0.004 * e.judged) +
    0.5 * e.missing +
    0.3 * Math.max(0, e.off - 0.05 * e.matched) +
    e.offSupport +
    paintAgainst(e)
  );
}

/**
 * What the paint says against a placement, as points. Marks are few but tell all: if most of those that can be compared
 * have no counterpart, the placement is wrong whatever the shape says; glare and the rims of spots make a small share
 * clash everywhere and count nothing.
 */
function paintAgainst(e: Evidence): number {
  if (e.painted <= 0) return 0;
  const share = Math.max(0, Math.min(1, (e.clashing / e.painted - 0.3) / 0.4));
  const belief = e.painted ** 2 / (e.painted ** 2 + FEW_MARKS ** 2);
  return (share * e.matched * belief) / PENALTY;
}

/** Compared points from which on their correlation is believed by half; neighbours are not independent. */
const FEW_GRAINS = 60;

/** Correlation of the fine contrast of what lies on each other (-1 to 1): worn paint, wood, casting skin. 0 if none. */
export function paintCorrelation(e: Evidence): number {
  const norm = Math.sqrt(e.grainA * e.grainB);
  return norm > 0 ? ((e.grainAB / norm) * e.grains) / (e.grains + FEW_GRAINS) : 0;
}

/**
 * Fine points, counted from both sides, that make one independent spot of the paint. So much do the correlations of a
 * scan with all others spread where it is turned to places that are not its own (the jug, seven of its eight scans: 40–86
 * with its throwing rings); common practice, no source.
 */
const POINTS_OF_A_SPOT = 60;

/** By how many independent comparisons the correlation is known: samples are new as long as they hit new spots. */
const independentGrains = (e: Evidence): number =>
  e.grains > 0 && e.grainSpots > 0 ? 1 / (1 / e.grains + 1 / e.grainSpots) : 0;

/**
 * By how many standard deviations the fine contrast agrees better in `a` than in `b`.
 *
 * Source: R. Fisher (1921), On the probable error of a coefficient of correlation (the transform).
 */
export function paintPrefers(a: Evidence, b: Evidence): number {
  const [ra, rb] = [paintCorrelation(a), paintCorrelation(b)];
  const variance = 1 / Math.max(1, independentGrains(a) - 3) + 1 / Math.max(1, independentGrains(b) - 3);
  return (Math.atanh(ra) - Math.atanh(rb)) / Math.sqrt(variance);
}

/**
 * Partners gained less what is contradicted; comparable between placements of the same scans. Overlap alone would mislead on round objects: turned wrongly, their scans overlap more, not less.
 */
export function evidenceScore(e: Evidence): number {
  return e.matched - PENALTY * contradictions(e);
}

/** Standard deviations by which the fine contrast must agree better to rule a placement out, and to rank it lower. */
export const CERTAIN = 4;
const LIKELY = 2.5;
/** Below these, shading and glare may make the agreement; found on simulated scans. */
const LEAST_CORRELATION = 0.22;
const LEAST_DIFFERENCE = 0.1;

/** What the fine contrast decides between two placements: 1 for `a`, -1 for `b`, 0 if it leaves it open. */
export function paintDecides(a: Evidence, b: Evidence, atLeast = CERTAIN): number {
  const [ra, rb] = [paintCorrelation(a), paintCorrelation(b)];
  if (Math.max(ra, rb) < LEAST_CORRELATION || Math.abs(ra - rb) < LEAST_DIFFERENCE) return 0;
  const preference = paintPrefers(a, b);
  return Math.abs(preference) > atLeast ? Math.sign(preference) : 0;
}

/** Orders the evidence of placements of the same scans, the better first: by paint where that tells, else by score. */
export function compareEvidence(a: Evidence, b: Evidence): number {
  return -paintDecides(a, b, LIKELY) || evidenceScore(b) - evidenceScore(a);
}

/** What is not contradicted, per partner: 1 = nothing is, below 0 = more speaks against the placement than for it. */
export function evidenceQuality(e: Evidence): number {
  return e.matched > 0 ? 1 - (PENALTY * contradictions(e)) / e.matched : -Infinity;
}

/** Evidence in shares of the points it was gathered from, both sides of every pair having been counted. */
export function agreementFrom(e: Evidence, points: number): PlacementAgreement {
  return {
    overlap: e.matched / 2 / points,
    contradicted: (e.through + e.missing) / 2 / points,
    paint: paintCorrelation(e),
    marks: Math.round(e.painted / 2),
    marksAgree: e.painted > 0 ? 1 - e.clashing / e.painted : 1,
  };
}

/** Pairs with fewer painted points than this say nothing about the paint. */
const ENOUGH = 30;

/**
 * Whether the marks of different scans can be compared at all: for a fair part of the pairs some placement that the shape
 * allows must bring most of them together (not for all: where a shape repeats, the right place is often not among those
 * found). Lamps or white balance that changed between scans make them clash everywhere; fine contrast outlives that.
 * @param pairs for each pair of scans the evidence of its placements
 */
export function marksAreMeaningful(pairs: readonly (readonly Evidence[])[]): boolean {
  const least: { share: number; weight: number }[] = [];
  for (const placements of pairs) {
    const compared = placements.filter((e) => e.painted >= ENOUGH);
    if (compared.length === 0) continue;
    const best = compared.reduce((a, b) => (a.clashing / a.painted < b.clashing / b.painted ? a : b));
    least.push({ share: best.clashing / best.painted, weight: best.painted });
  }
  const total = least.reduce((sum, x) => sum + x.weight, 0);
  const good = least.reduce((sum, x) => sum + (x.share < 0.3 ? x.weight : 0), 0);
  return total > 0 && good > 0.15 * total;
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
  const aFromB = invertRigid(bFromA);
  judgeOneWay(a, b, bFromA, scale, samples, out);
  judgeOneWay(b, a, aFromB, scale, samples, out);
  // Marks tell much each: a third of the samples will do.
  const marks = Math.ceil(samples / 3);
  comparePaint(a, b, bFromA, onSurface(scale), 2 * scale.cell, marks, out);
  comparePaint(b, a, aFromB, onSurface(scale), 2 * scale.cell, marks, out);
  out.offSupport = pointsOffSupport(a, b, bFromA);
  return out;
}

/** Where the supports of two scans of one setup do not fall together, so much of the smaller scan contradicts: more than could match. */
const OFF_SUPPORT = 0.25;

/** @returns points that contradict a placement because it breaks the scans' support; a scan onto itself has none */
export function pointsOffSupport(a: PreparedScan, b: PreparedScan, bFromA: Mat4): number {
  if (a === b || keepsSupport(a.support, b.support, bFromA)) return 0;
  return OFF_SUPPORT * Math.min(a.shuffle.length, b.shuffle.length);
}

/** Distance from a plane within which a point lies on it, mm. */
const onSurface = (scale: EvidenceScale): number => Math.max(0.3 * scale.cell, 4 * scale.noise);

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
  const on = onSurface(scale);
  const off = Math.max(0.4 * scale.cell, 6 * scale.noise);
  const lateral = (1.3 * scale.cell) ** 2;
  // Beyond the other scan's rim its nearest point says nothing: only what lies straight above or below counts.
  const above = scale.cell ** 2;
  const margin = Math.max(1.05 * scale.cell, 8 * scale.noise);
  const grainFrom = source.paint?.grain;
  const grainTo = target.paint?.grain;
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
  let grains = 0;
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
      if (r < on && target.fineGrid.foundSquared < lateral && facing > 0.8) {
        matched++;
        if (grainFrom && grainTo) {
          const a = grainFrom[i / 3];
          const b = grainTo[hit];
          grains++;
          out.grainA += a * a;
          out.grainB += b * b;
          out.grainAB += a * b;
        }
      } else if (r > off && facing > 0.5 && target.fineGrid.foundSquared - r * r < above) beside++;
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
  out.grains += grains;
  out.grainSpots += (weight * grains) / POINTS_OF_A_SPOT;
  out.off += weight * beside;
  out.through += weight * through;
  out.missing += weight * missing;
  out.judged += weight * judged;
}

import { multiply, type Mat4 } from '../math/mat4.js';
import { pointCount } from '../geometry/point-cloud.js';
import { findConsistentPlacements, isSamePlacement } from './consistent-placements.js';
import { matchKeypoints } from './correspondences.js';
import { evidenceScore, judgePlacement, withoutMarks, type Evidence, type EvidenceScale } from './evidence.js';
import { matchFaces } from './face-hypotheses.js';
import { registerIcp } from './icp.js';
import type { PreparedScan } from './prepared-scan.js';

/** One way in which two scans may fit, with what speaks for it. */
export interface PairCandidate {
  a: number;
  b: number;
  bFromA: Mat4;
  evidence: Evidence;
  score: number;
}

export interface PairCandidateOptions {
  /** Correspondences looked at per pair. */
  correspondences: number;
  /** Of these, tried as seeds of a placement. */
  seeds: number;
  /** Placements followed up per pair. */
  hypotheses: number;
  /** They must have so many agreeing correspondences, as a share of the best one's (0–1). */
  leastAgreement: number;
  /** Places followed up because those found repeat there. */
  repeats: number;
  /** Candidates kept per pair. */
  keep: number;
}

export const PAIR_CANDIDATE_DEFAULTS: PairCandidateOptions = {
  correspondences: 700,
  seeds: 160,
  hypotheses: 12,
  leastAgreement: 0.3,
  repeats: 12,
  keep: 6,
};

/** For scans that found no place at the first attempt: several times the work, and more little overlaps found. */
export const THOROUGH_PAIR_CANDIDATES: Partial<PairCandidateOptions> = {
  correspondences: 1200,
  seeds: 500,
  hypotheses: 150,
  leastAgreement: 0.1,
};

/**
 * Finds up to `keep` distinct placements of scan a on scan b, best first: features, consistent sets, a short fine
 * registration of each, then overlap against contradictions. Places that repeat, as the spokes of a wheel, are followed on.
 *
 * @param cell cell of the coarse clouds, mm
 */
export function findPairCandidates(
  scans: PreparedScan[],
  a: number,
  b: number,
  cell: number,
  scale: EvidenceScale,
  options: Partial<PairCandidateOptions> = {},
): PairCandidate[] {
  const o = { ...PAIR_CANDIDATE_DEFAULTS, ...options };
  const A = scans[a];
  const B = scans[b];
  const pairs = matchKeypoints(A, B, o.correspondences);
  const hypotheses = findConsistentPlacements(A.coarse, B.coarse, pairs, cell, o.hypotheses, o.seeds);
  const sample = Uint32Array.from({ length: Math.ceil(pointCount(A.coarse) / 2) }, (_, i) => 2 * i);
  const out: PairCandidate[] = [];
  const plausible: Mat4[] = [];
  const isNew = (pose: Mat4): boolean => !plausible.some((p) => isSamePlacement(p, pose, A.coarse, 2 * cell, 0.1));
  const follow = (start: Mat4): void => {
    const { targetFromSource, wellPosed } = registerIcp(A.coarse, sample, B.coarse, B.coarseGrid, start, {
      maxDistance: 3 * cell,
      minDistance: 1.2 * cell,
      maxIterations: 10,
    });
    if (!wellPosed || !isNew(targetFromSource)) return;
    const quick = judgePlacement(A, B, targetFromSource, scale, 500);
    if (quick.matched < 0.04 * (A.shuffle.length + B.shuffle.length)) return;
    const fine = registerIcp(A.fine, A.shuffle.subarray(0, 1500), B.fine, B.fineGrid, targetFromSource, {
      maxDistance: 2 * scale.cell,
      minDistance: 1.2 * scale.cell,
      maxIterations: 6,
    });
    if (!fine.wellPosed) return;
    const evidence = judgePlacement(A, B, fine.targetFromSource, scale, 2000);
    // What the paint speaks against is kept for now: the shape may repeat, and the paint may not be to be believed.
    if (evidenceScore(withoutMarks(evidence)) <= 0) return;
    plausible.push(fine.targetFromSource);
    out.push({ a, b, bFromA: fine.targetFromSource, evidence, score: evidenceScore(evidence) });
  };
  for (const h of hypotheses) {
    if (h.agreeing < o.leastAgreement * hypotheses[0].agreeing) break;
    follow(h.targetFromSource);
  }
  for (const start of facePlacements(A, B, cell, scale)) follow(start);
  // Where a scan falls onto itself, every place of it repeats.
  let repeats = 0;
  for (let k = 0; k < plausible.length; k++) {
    const found = plausible[k];
    const next = [...A.selfMotions.map((s) => multiply(found, s)), ...B.selfMotions.map((s) => multiply(s, found))];
    for (const start of next) {
      if (repeats === o.repeats || !isNew(start)) continue;
      repeats++;
      follow(start);
    }
  }
  return out.sort((x, y) => y.score - x.score).slice(0, o.keep);
}

/** Places where flat faces meet, at most this many tried against the points, and followed up. */
const FACE_PLACES = 60;
const FACE_HYPOTHESES = 8;

/** Placements that bring flat faces together, those that the points contradict least first. */
function facePlacements(A: PreparedScan, B: PreparedScan, cell: number, scale: EvidenceScale): Mat4[] {
  return matchFaces(A.faces, B.faces, cell, FACE_PLACES)
    .map(({ targetFromSource }) => {
      const quick = withoutMarks(judgePlacement(A, B, targetFromSource, scale, 150));
      return { targetFromSource, score: evidenceScore(quick) };
    })
    .filter((x) => x.score > 0)
    .sort((x, y) => y.score - x.score)
    .slice(0, FACE_HYPOTHESES)
    .map((x) => x.targetFromSource);
}

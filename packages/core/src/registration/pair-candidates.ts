import type { Mat4 } from '../math/mat4.js';
import { pointCount } from '../geometry/point-cloud.js';
import { findConsistentPlacements, isSamePlacement } from './consistent-placements.js';
import { matchFeatures } from './correspondences.js';
import { evidenceScore, judgePlacement, throughRatio, type Evidence } from './evidence.js';
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
  /** Placements followed up per pair. */
  hypotheses: number;
  /** Candidates kept per pair. */
  keep: number;
}

export const PAIR_CANDIDATE_DEFAULTS: PairCandidateOptions = { correspondences: 700, hypotheses: 6, keep: 4 };

/**
 * Finds up to `keep` distinct placements of scan a on scan b, best first: features, consistent sets, a short fine
 * registration of each, then overlap against free space.
 */
export function findPairCandidates(
  scans: PreparedScan[],
  a: number,
  b: number,
  cell: number,
  options: Partial<PairCandidateOptions> = {},
): PairCandidate[] {
  const o = { ...PAIR_CANDIDATE_DEFAULTS, ...options };
  const A = scans[a];
  const B = scans[b];
  const pairs = matchFeatures(A.features, B.features, o.correspondences);
  pairs.source.forEach((k, i) => (pairs.source[i] = A.keypoints[k]));
  pairs.target.forEach((k, i) => (pairs.target[i] = B.keypoints[k]));
  const hypotheses = findConsistentPlacements(A.coarse, B.coarse, pairs, cell, o.hypotheses);
  const sample = Uint32Array.from({ length: Math.ceil(pointCount(A.coarse) / 2) }, (_, i) => 2 * i);
  const out: PairCandidate[] = [];
  for (const h of hypotheses) {
    if (h.agreeing < 0.3 * hypotheses[0].agreeing) break;
    const { targetFromSource, wellPosed } = registerIcp(A.coarse, sample, B.coarse, B.coarseGrid, h.targetFromSource, {
      maxDistance: 3 * cell,
      minDistance: 1.2 * cell,
      maxIterations: 10,
    });
    if (!wellPosed) continue;
    if (out.some((c) => isSamePlacement(c.bFromA, targetFromSource, A.coarse, 2 * cell, 0.1))) continue;
    const evidence = judgePlacement(A, B, targetFromSource, cell);
    const smaller = Math.min(pointCount(A.coarse), pointCount(B.coarse));
    // A tenth of the smaller scan, counted from both sides, is the least overlap worth following.
    if (evidence.matched < 0.2 * smaller || throughRatio(evidence) > 0.15) continue;
    out.push({ a, b, bFromA: targetFromSource, evidence, score: evidenceScore(evidence) });
  }
  return out.sort((x, y) => y.score - x.score).slice(0, o.keep);
}

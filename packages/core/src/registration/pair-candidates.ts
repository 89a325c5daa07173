import type { Mat4 } from '../math/mat4.js';
import { pointCount } from '../geometry/point-cloud.js';
import { findConsistentPlacements, isSamePlacement } from './consistent-placements.js';
import { matchFeatures } from './correspondences.js';
import { evidenceScore, judgePlacement, type Evidence, type EvidenceScale } from './evidence.js';
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

export const PAIR_CANDIDATE_DEFAULTS: PairCandidateOptions = { correspondences: 700, hypotheses: 12, keep: 4 };

/**
 * Finds up to `keep` distinct placements of scan a on scan b, best first: features, consistent sets, a short fine
 * registration of each, then overlap against contradictions.
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
    const quick = judgePlacement(A, B, targetFromSource, scale, 500);
    if (quick.matched < 0.04 * (A.shuffle.length + B.shuffle.length)) continue;
    const fine = registerIcp(A.fine, A.shuffle.subarray(0, 1500), B.fine, B.fineGrid, targetFromSource, {
      maxDistance: 2 * scale.cell,
      minDistance: 1.2 * scale.cell,
      maxIterations: 6,
    });
    if (!fine.wellPosed) continue;
    const evidence = judgePlacement(A, B, fine.targetFromSource, scale, 2000);
    const score = evidenceScore(evidence);
    if (score > 0) out.push({ a, b, bFromA: fine.targetFromSource, evidence, score });
  }
  return out.sort((x, y) => y.score - x.score).slice(0, o.keep);
}

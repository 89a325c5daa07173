import { pointCount } from '../geometry/point-cloud.js';
import { identity, invertRigid, type Mat4 } from '../math/mat4.js';
import { findConsistentPlacements, isSamePlacement } from './consistent-placements.js';
import { matchKeypoints } from './correspondences.js';
import { evidenceScore, judgePlacement, withoutMarks, type EvidenceScale } from './evidence.js';
import { registerIcp } from './icp.js';
import type { PreparedScan } from './prepared-scan.js';

const CORRESPONDENCES = 700;
const HYPOTHESES = 10;
/** Partners closer than this many coarse cells are the point itself. */
const APART = 6;
/** So much of a scan must fall onto itself. */
const LEAST_SHARE = 0.25;
const KEEP = 6;

/**
 * Motions, other than none, under which a fair part of a scan falls onto itself: the turns of a wheel by its spokes.
 * Where one scan repeats, so does every placement of it. Features matched within the scan, consistent sets, a short
 * fine registration, then overlap against contradictions. Both directions of each motion. O(keypoints²).
 *
 * Source of the idea: N. Mitra, L. Guibas, M. Pauly (2006), Partial and approximate symmetry detection for 3D geometry.
 *
 * @param cell cell of the coarse cloud, mm
 */
export function findSelfMotions(scan: PreparedScan, cell: number, scale: EvidenceScale): Mat4[] {
  const { coarse, keypoints } = scan;
  const places = new Float32Array(3 * keypoints.length);
  keypoints.forEach((v, i) => places.set(coarse.positions.subarray(3 * v, 3 * v + 3), 3 * i));
  const pairs = matchKeypoints(scan, scan, CORRESPONDENCES, { places, apart: APART * cell });
  const sample = Uint32Array.from({ length: Math.ceil(pointCount(coarse) / 2) }, (_, i) => 2 * i);
  const out: Mat4[] = [];
  const isKnown = (m: Mat4): boolean =>
    isSamePlacement(m, identity(), coarse, 2 * cell, 0.1) ||
    out.some((known) => isSamePlacement(known, m, coarse, 2 * cell, 0.1));
  for (const h of findConsistentPlacements(coarse, coarse, pairs, cell, HYPOTHESES)) {
    if (out.length >= KEEP) break;
    const rough = registerIcp(coarse, sample, coarse, scan.coarseGrid, h.targetFromSource, {
      maxDistance: 3 * cell,
      minDistance: 1.2 * cell,
      maxIterations: 10,
    });
    if (!rough.wellPosed || isKnown(rough.targetFromSource)) continue;
    const fine = registerIcp(
      scan.fine,
      scan.shuffle.subarray(0, 1500),
      scan.fine,
      scan.fineGrid,
      rough.targetFromSource,
      { maxDistance: 2 * scale.cell, minDistance: 1.2 * scale.cell, maxIterations: 6 },
    );
    if (!fine.wellPosed || isKnown(fine.targetFromSource)) continue;
    const evidence = withoutMarks(judgePlacement(scan, scan, fine.targetFromSource, scale, 1000));
    if (evidence.matched < LEAST_SHARE * 2 * scan.shuffle.length || evidenceScore(evidence) <= 0) continue;
    out.push(fine.targetFromSource, invertRigid(fine.targetFromSource));
  }
  return out;
}

import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import {
  addEvidence,
  evidenceQuality,
  evidenceScore,
  judgePlacement,
  noEvidence,
  type Evidence,
  type EvidenceScale,
} from './evidence.js';
import { isSamePlacement } from './consistent-placements.js';
import { refineJointly, type RefinementScan } from './joint-refinement.js';
import type { PairCandidate } from './pair-candidates.js';
import type { PreparedScan } from './prepared-scan.js';

/** Another way in which a scan could sit, nearly as good as the one chosen. */
export interface RivalPlacement {
  scan: number;
  pieceFromScan: Mat4;
  evidence: Evidence;
  /** Its score over the chosen placement's score. */
  scoreRatio: number;
}

export interface Assembly {
  /** pieceFromScan, or undefined for a scan that fits nowhere. */
  poses: (Mat4 | undefined)[];
  rivals: RivalPlacement[];
  /** Evidence of each placed scan against all others. */
  evidence: Evidence[];
}

/** Least quality of the evidence (see `evidenceQuality`) for joining groups, at a first look and after settling. */
const LOOK_QUALITY = -2;
const JOIN_QUALITY = 0.3;
/** Points looked at for each pair when groups are judged. */
const SAMPLES = 700;

/**
 * Joins scans to groups, the best-supported pair first. Each join is judged by all pairs across the two groups at
 * once, after refining them together: a wrong candidate between two scans is unmasked by the scans around them.
 * Afterwards each scan is tried at every place its other candidates propose and moved if the whole fits better there.
 * O(scans² · points) for each join.
 *
 * Idea: D. Huber, M. Hebert (2003), Fully automatic registration of multiple 3D data sets (global consistency by
 * growing a model graph); free space as evidence: their visibility consistency.
 */
export function assembleScans(
  scans: PreparedScan[],
  candidates: PairCandidate[],
  coarseCell: number,
  scale: EvidenceScale,
  ctx: RunContext,
): Assembly {
  const n = scans.length;
  const refinement: RefinementScan[] = scans.map((s) => ({
    cloud: s.fine,
    grid: s.fineGrid,
    sample: s.shuffle,
  }));
  const group = Array.from({ length: n }, (_, i) => i);
  const members = Array.from({ length: n }, (_, i) => [i]);
  // Pose of each scan in its group's frame.
  let poses: Mat4[] = scans.map(() => Float64Array.from([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]));
  const queue = candidates.slice().sort((a, b) => b.score - a.score);
  let joins = 0;

  const settle = (list: number[], at: Mat4[], iterations: number): Mat4[] =>
    refineJointly(
      list.map((i) => refinement[i]),
      list.map((i) => at[i]),
      0,
      {
        startDistance: 0.8 * coarseCell,
        endDistance: 1.5 * scale.cell,
        endTukey: Math.max(0.5 * scale.cell, 5 * scale.noise),
        maxIterations: iterations,
        samples: 400,
      },
      ctx.part(1, 1),
    ).pieceFromScan;

  // A join refused once may pass later, when the groups have grown and settled: so two rounds.
  for (let round = 0; round < 2; round++) {
    for (const c of queue) {
      const ga = group[c.a];
      const gb = group[c.b];
      if (ga === gb) continue;
      ctx.checkpoint((0.6 * joins) / Math.max(1, n - 1));
      const moved = poses.slice();
      const gbFromGa = multiply(multiply(poses[c.b], c.bFromA), invertRigid(poses[c.a]));
      for (const i of members[ga]) moved[i] = multiply(gbFromGa, poses[i]);
      const list = [...members[gb], ...members[ga]];
      const before = judgeGroups(scans, members[ga], members[gb], moved, scale);
      if (evidenceQuality(before) < LOOK_QUALITY) continue;
      settle(list, moved, 5).forEach((pose, k) => (moved[list[k]] = pose));
      const joint = judgeGroups(scans, members[ga], members[gb], moved, scale);
      if (evidenceQuality(joint) < JOIN_QUALITY) continue;
      poses = moved;
      for (const i of members[ga]) group[i] = gb;
      members[gb] = list;
      members[ga] = [];
      joins++;
    }
  }

  const largest = members.reduce((best, m) => (m.length > best.length ? m : best), []);
  const placed: (Mat4 | undefined)[] = scans.map((_, i) => (largest.includes(i) ? poses[i] : undefined));
  const rivals = reconsider(scans, candidates, placed, coarseCell, scale, ctx.part(0.6, 1));
  const list = placed.flatMap((p, i) => (p ? [i] : []));
  if (list.length > 1) {
    const at = placed.map((p) => p ?? poses[0]);
    settle(list, at, 12).forEach((pose, k) => (placed[list[k]] = pose));
  }
  const evidence = scans.map((_, i) =>
    placed[i] ? judgeAgainstAll(scans, i, placed[i]!, placed, scale) : noEvidence(),
  );
  return { poses: placed, rivals, evidence };
}

function judgeGroups(scans: PreparedScan[], ga: number[], gb: number[], poses: Mat4[], scale: EvidenceScale): Evidence {
  const total = noEvidence();
  for (const a of ga) {
    for (const b of gb)
      addEvidence(total, judgePlacement(scans[a], scans[b], multiply(invertRigid(poses[b]), poses[a]), scale, SAMPLES));
  }
  return total;
}

function judgeAgainstAll(
  scans: PreparedScan[],
  i: number,
  pose: Mat4,
  placed: (Mat4 | undefined)[],
  scale: EvidenceScale,
): Evidence {
  const total = noEvidence();
  placed.forEach((other, j) => {
    if (j !== i && other)
      addEvidence(total, judgePlacement(scans[i], scans[j], multiply(invertRigid(other), pose), scale, SAMPLES));
  });
  return total;
}

/** Tries every scan at all places its candidates propose; moves it where the whole fits clearly better. */
function reconsider(
  scans: PreparedScan[],
  candidates: PairCandidate[],
  placed: (Mat4 | undefined)[],
  coarseCell: number,
  scale: EvidenceScale,
  ctx: RunContext,
): RivalPlacement[] {
  let rivals: RivalPlacement[] = [];
  for (let round = 0; round < 2; round++) {
    let changed = false;
    rivals = [];
    for (let i = 0; i < scans.length; i++) {
      ctx.checkpoint((round + i / scans.length) / 2);
      const others = placed.filter((p, j) => p && j !== i).length;
      if (others === 0) continue;
      const options: { pose: Mat4; evidence: Evidence; score: number }[] = [];
      const consider = (pose: Mat4): void => {
        if (options.some((x) => isSamePlacement(x.pose, pose, scans[i].coarse, 2 * coarseCell, 0.1))) return;
        const evidence = judgeAgainstAll(scans, i, pose, placed, scale);
        options.push({ pose, evidence, score: evidenceScore(evidence) });
      };
      const current = placed[i];
      if (current) consider(current);
      for (const c of candidates) {
        if (c.a === i && placed[c.b]) consider(multiply(placed[c.b]!, c.bFromA));
        else if (c.b === i && placed[c.a]) consider(multiply(placed[c.a]!, invertRigid(c.bFromA)));
      }
      const now = current ? options[0] : undefined;
      options.sort((x, y) => y.score - x.score);
      const best = options[0];
      if (!best) continue;
      const acceptable = evidenceQuality(best.evidence) >= JOIN_QUALITY;
      if (acceptable && best !== now && (!now || best.score > 1.05 * now.score)) {
        placed[i] = best.pose;
        changed = true;
      } else if (now && evidenceQuality(now.evidence) < 0) {
        placed[i] = undefined;
        changed = true;
      }
      const chosen = placed[i] === best.pose ? best : now;
      if (!placed[i] || !chosen) continue;
      for (const x of options) {
        if (x !== chosen && x.score > 0.8 * chosen.score) {
          rivals.push({ scan: i, pieceFromScan: x.pose, evidence: x.evidence, scoreRatio: x.score / chosen.score });
        }
      }
    }
    if (!changed) break;
  }
  return rivals;
}

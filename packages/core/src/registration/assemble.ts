import { identity, invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { findCompetingPlacements, type CompetingPlacements } from './competing-placements.js';
import { evidenceQuality, evidenceScore, type Evidence, type EvidenceScale } from './evidence.js';
import { isSamePlacement } from './consistent-placements.js';
import { GroupJoiner, JOIN_QUALITY } from './group-joiner.js';
import type { PairCandidate } from './pair-candidates.js';
import type { PreparedScan } from './prepared-scan.js';
import { ScanGroups } from './scan-groups.js';

export interface Assembly extends CompetingPlacements {
  /** pieceFromScan, or undefined for a scan that fits nowhere. */
  poses: (Mat4 | undefined)[];
}

/**
 * Joins scans to groups, the best-supported pair first. For each join all placements that any pair across the two
 * groups proposes are compared, judged by all pairs at once after refining them together: a wrong candidate between two
 * scans is unmasked by the scans around them. Then the largest group is audited: what does not hold together is split
 * off, and everything outside is tried once more with the features of whole groups. At last each scan is tried at
 * every place its other candidates propose and moved if the whole fits better there; and it is looked for what could as
 * well sit elsewhere (`findCompetingPlacements`).
 * Locked scans are one group from the start, and nothing parts or moves them; what joins no group with them is not placed.
 * O(scans² · points) for each join.
 *
 * Idea: D. Huber, M. Hebert (2003), Fully automatic registration of multiple 3D data sets (global consistency by
 * growing a model graph); free space as evidence: their visibility consistency.
 *
 * @param locked pieceFromScan of the scans that stay where they are
 */
export function assembleScans(
  scans: PreparedScan[],
  candidates: PairCandidate[],
  coarseCell: number,
  scale: EvidenceScale,
  reference: number,
  locked: ReadonlyMap<number, Mat4>,
  ctx: RunContext,
): Assembly {
  const queue = candidates.slice().sort((a, b) => b.score - a.score);
  const joiner = new GroupJoiner(scans, queue, coarseCell, scale, ctx, new Set(locked.keys()));
  const groups = new ScanGroups(scans.length, locked);
  growGroups(groups, queue, joiner, ctx.part(0, 0.5));
  audit(groups, joiner);
  reunite(groups, joiner, ctx.part(0.5, 0.7));
  audit(groups, joiner);

  const largest = groups.membersOf(groups.list()[0]);
  const placed = scans.map((_, i) => (largest.includes(i) ? groups.poses[i] : undefined));
  reconsider(scans, queue, placed, coarseCell, joiner, ctx.part(0.7, 0.85));
  const list = placed.flatMap((p, i) => (p ? [i] : []));
  if (list.length > 1) {
    const at = placed.map((p) => p ?? identity());
    joiner.settle(list, at, 12);
    for (const i of list) placed[i] = at[i];
  }
  return findCompetingPlacements(scans, placed, queue, coarseCell, joiner, reference, ctx.part(0.85, 1));
}

/** Joins along the candidates, best first. A join refused once may pass when the groups have grown: so two rounds. */
function growGroups(groups: ScanGroups, queue: PairCandidate[], joiner: GroupJoiner, ctx: RunContext): void {
  const refused = new Set<string>();
  for (let round = 0; round < 2; round++) {
    queue.forEach((c, k) => {
      const [ga, gb] = [groups.groupOf(c.a), groups.groupOf(c.b)];
      if (ga === gb) return;
      const sizes = groups.membersOf(ga).length + groups.membersOf(gb).length;
      const question = `${Math.min(ga, gb)}:${Math.max(ga, gb)}:${sizes}`;
      if (refused.has(question)) return;
      ctx.checkpoint((round + k / queue.length) / 2);
      const joined = joiner.bestJoin(groups, ga, gb, false);
      if (joined) groups.join(ga, gb, joined);
      else refused.add(question);
    });
  }
}

/**
 * Splits off from the largest group what contradicts the rest of it. Its scans are clustered anew by the evidence as
 * they sit now, the surest pairs first; only clusters that hold together as wholes are merged.
 */
function audit(groups: ScanGroups, joiner: GroupJoiner): void {
  const list = groups.membersOf(groups.list()[0]);
  const n = list.length;
  if (n < 3) return;
  const matched: number[][] = list.map(() => new Array<number>(n).fill(0));
  const score: number[][] = list.map(() => new Array<number>(n).fill(0));
  let most = 0;
  for (let i = 0; i < n; i++) {
    for (let j = 0; j < i; j++) {
      const e = joiner.judgePair(list[i], list[j], groups.poses);
      matched[i][j] = matched[j][i] = e.matched;
      score[i][j] = score[j][i] = evidenceScore(e);
      most = Math.max(most, e.matched);
    }
  }
  // A small overlap says little, however clean it is.
  const prior = 0.05 * most;
  const locked = (k: number): boolean => joiner.locked.has(list[k]);
  let clusters = list.flatMap((_, k) => (locked(k) ? [] : [[k]]));
  if (clusters.length < n) clusters.unshift(list.flatMap((_, k) => (locked(k) ? [k] : [])));
  for (;;) {
    let best: { a: number; b: number; quality: number } | undefined;
    for (let a = 0; a < clusters.length; a++) {
      for (let b = 0; b < a; b++) {
        let m = 0;
        let s = 0;
        for (const i of clusters[a]) {
          for (const j of clusters[b]) {
            m += matched[i][j];
            s += score[i][j];
          }
        }
        if (m <= 0 || s < JOIN_QUALITY * m) continue;
        const quality = s / (m + prior);
        if (!best || quality > best.quality) best = { a, b, quality };
      }
    }
    if (!best) break;
    const { a, b } = best;
    clusters[b] = [...clusters[b], ...clusters[a]];
    clusters = clusters.filter((_, k) => k !== a);
  }
  const first = (cluster: number[]): number => (cluster.some(locked) ? 1 : 0);
  clusters.sort((x, y) => first(y) - first(x) || y.length - x.length);
  for (const cluster of clusters.slice(1)) groups.split(cluster.map((k) => list[k]));
}

/** Tries to bring all other groups into the largest one, with the features of both taken together. */
function reunite(groups: ScanGroups, joiner: GroupJoiner, ctx: RunContext): void {
  let changed = true;
  while (changed) {
    changed = false;
    const [main, ...others] = groups.list();
    others.forEach((g, k) => {
      ctx.checkpoint(k / others.length);
      const joined = joiner.bestJoin(groups, g, main, true);
      if (!joined) return;
      groups.join(g, main, joined);
      changed = true;
    });
  }
}

function judgeAgainstAll(joiner: GroupJoiner, i: number, pose: Mat4, placed: (Mat4 | undefined)[]): Evidence {
  const poses = placed.map((p, j) => (j === i ? pose : (p ?? identity())));
  const others = placed.flatMap((p, j) => (p && j !== i ? [j] : []));
  return joiner.judge([i], others, poses);
}

/** Tries every scan at all places its candidates propose; moves it where the whole fits clearly better. */
function reconsider(
  scans: PreparedScan[],
  candidates: PairCandidate[],
  placed: (Mat4 | undefined)[],
  coarseCell: number,
  joiner: GroupJoiner,
  ctx: RunContext,
): void {
  for (let round = 0; round < 2; round++) {
    let changed = false;
    for (let i = 0; i < scans.length; i++) {
      ctx.checkpoint((round + i / scans.length) / 2);
      if (joiner.locked.has(i)) continue;
      const others = placed.filter((p, j) => p && j !== i).length;
      if (others === 0) continue;
      const options: { pose: Mat4; evidence: Evidence; score: number }[] = [];
      const consider = (pose: Mat4): void => {
        if (options.some((x) => isSamePlacement(x.pose, pose, scans[i].coarse, 2 * coarseCell, 0.1))) return;
        const evidence = judgeAgainstAll(joiner, i, pose, placed);
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
    }
    if (!changed) break;
  }
}

import type { PointCloud } from '../geometry/point-cloud.js';
import { identity, invertRigid, multiply, rotateVectors, transformPoints, type Mat4 } from '../math/mat4.js';
import { thinByVoxel } from '../pointcloud/thin.js';
import { PointGrid } from '../spatial/point-grid.js';
import { isSamePlacement } from './consistent-placements.js';
import { evidenceScore } from './evidence.js';
import type { GroupJoiner } from './group-joiner.js';
import { registerIcp } from './icp.js';
import type { PairCandidate } from './pair-candidates.js';
import type { PreparedScan } from './prepared-scan.js';

/** Motions followed up at most. */
const MAX_MOTIONS = 16;
/** So much of some scan, or of what matches of it now, must match where the motion takes it. */
const LEAST_OVERLAP = 0.4;
const LOOK_SAMPLES = 60;

/**
 * Motions of the piece, other than none, that take some scan to another place where it could sit. They come from what
 * pairs of scans propose and from the scans' own repetitions, and from doing one after the other: the turn by two spokes
 * follows from the turn by one. O(candidates + motions · scans · points).
 */
export function findPieceMotions(
  scans: readonly PreparedScan[],
  poses: readonly (Mat4 | undefined)[],
  list: readonly number[],
  candidates: readonly PairCandidate[],
  coarseCell: number,
  joiner: GroupJoiner,
): Mat4[] {
  const whole = wholeCloud(scans, poses, list, 0.5 * coarseCell);
  const same = (a: Mat4, b: Mat4): boolean => isSamePlacement(a, b, whole, 2 * coarseCell, 0.1);
  const votes: { motion: Mat4; votes: number }[] = [];
  const vote = (motion: Mat4, weight: number): void => {
    if (same(motion, identity())) return;
    const known = votes.find((v) => same(v.motion, motion) || same(v.motion, invertRigid(motion)));
    if (known) known.votes += weight;
    else votes.push({ motion, votes: weight });
  };
  for (const c of candidates) {
    const [pa, pb] = [poses[c.a], poses[c.b]];
    if (pa && pb) vote(multiply(multiply(pb, c.bFromA), invertRigid(pa)), c.score);
  }
  for (const i of list) {
    for (const m of scans[i].selfMotions)
      vote(multiply(multiply(poses[i]!, m), invertRigid(poses[i]!)), scans[i].shuffle.length / 2);
  }
  votes.sort((a, b) => b.votes - a.votes);

  const grid = new PointGrid(whole.positions, coarseCell);
  const count = whole.positions.length / 3;
  const step = Math.max(1, count / 2000);
  const sample = Uint32Array.from({ length: Math.floor(count / step) }, (_, k) => Math.floor(k * step));
  const at = poses.map((p) => p ?? identity());
  const couldSit = firstLook(list, at, joiner);
  const out: Mat4[] = [];
  const consider = (motion: Mat4): boolean => {
    if (out.length >= MAX_MOTIONS) return false;
    const fit = registerIcp(whole, sample, whole, grid, motion, {
      maxDistance: 2 * coarseCell,
      minDistance: 0.5 * coarseCell,
    });
    const settled = fit.wellPosed && same(fit.targetFromSource, motion) ? fit.targetFromSource : motion;
    if (same(settled, identity()) || out.some((m) => same(m, settled))) return false;
    if (!couldSit(settled)) return false;
    out.push(settled);
    return true;
  };
  const queue = votes.slice(0, 3 * MAX_MOTIONS).flatMap((v) => [v.motion, invertRigid(v.motion)]);
  for (let k = 0; k < queue.length; k++) {
    if (!consider(queue[k])) continue;
    const latest = out[out.length - 1];
    for (const m of out.slice()) queue.push(multiply(m, latest), invertRigid(multiply(m, latest)));
  }
  return out;
}

/** A first look at whether any scan could sit where a motion takes it. */
function firstLook(list: readonly number[], at: Mat4[], joiner: GroupJoiner): (motion: Mat4) => boolean {
  const others = list.map((i) => list.filter((j) => j !== i));
  const now = list.map((i, k) => joiner.judge([i], others[k], at, LOOK_SAMPLES).matched);
  return (motion) =>
    list.some((i, k) => {
      const gone = at.slice();
      gone[i] = multiply(motion, at[i]);
      const there = joiner.judge([i], others[k], gone, LOOK_SAMPLES);
      return there.matched > LEAST_OVERLAP * Math.min(2 * joiner.pointsOf(i), now[k]) && evidenceScore(there) > 0;
    });
}

function wholeCloud(
  scans: readonly PreparedScan[],
  poses: readonly (Mat4 | undefined)[],
  list: readonly number[],
  cell: number,
): PointCloud {
  const count = list.reduce((n, i) => n + scans[i].fine.positions.length, 0);
  const positions = new Float32Array(count);
  const normals = new Float32Array(count);
  let end = 0;
  for (const i of list) {
    positions.set(transformPoints(poses[i]!, scans[i].fine.positions), end);
    normals.set(rotateVectors(poses[i]!, scans[i].fine.normals!), end);
    end += scans[i].fine.positions.length;
  }
  return thinByVoxel({ positions, normals }, cell).cloud;
}

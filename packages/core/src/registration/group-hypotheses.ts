import type { PointCloud } from '../geometry/point-cloud.js';
import { rotateVectors, transformPoints, type Mat4 } from '../math/mat4.js';
import { FPFH_SIZE } from '../pointcloud/fpfh.js';
import { findConsistentPlacements } from './consistent-placements.js';
import { matchFeatures } from './correspondences.js';
import type { PreparedScan } from './prepared-scan.js';

/** Keypoints of a group beyond this number are thinned evenly: matching costs their product. */
const MAX_KEYPOINTS = 4000;
const CORRESPONDENCES = 1200;

/**
 * Placements of one group of scans on another, from the features of all their scans at once. What no pair of scans
 * shows by itself, the groups together may: more surface, more that is distinctive. O(keypoints²).
 *
 * @param poses of each scan in its group's frame
 * @returns up to `limit` transforms from group a's frame to group b's
 */
export function findGroupPlacements(
  scans: PreparedScan[],
  poses: Mat4[],
  a: readonly number[],
  b: readonly number[],
  cell: number,
  limit: number,
): Mat4[] {
  const A = gather(scans, poses, a);
  const B = gather(scans, poses, b);
  const pairs = matchFeatures(A.features, B.features, CORRESPONDENCES);
  return findConsistentPlacements(A.cloud, B.cloud, pairs, cell, limit).map((h) => h.targetFromSource);
}

function gather(
  scans: PreparedScan[],
  poses: Mat4[],
  members: readonly number[],
): { cloud: PointCloud; features: Float32Array } {
  const total = members.reduce((n, i) => n + scans[i].keypoints.length, 0);
  const step = Math.max(1, total / MAX_KEYPOINTS);
  const positions: number[] = [];
  const normals: number[] = [];
  const rows: Float32Array[] = [];
  for (const i of members) {
    const s = scans[i];
    const p = transformPoints(poses[i], s.coarse.positions);
    const n = rotateVectors(poses[i], s.coarse.normals!);
    for (let k = 0; Math.floor(k) < s.keypoints.length; k += step) {
      const at = Math.floor(k);
      const v = 3 * s.keypoints[at];
      positions.push(p[v], p[v + 1], p[v + 2]);
      normals.push(n[v], n[v + 1], n[v + 2]);
      rows.push(s.features.subarray(FPFH_SIZE * at, FPFH_SIZE * (at + 1)));
    }
  }
  const features = new Float32Array(FPFH_SIZE * rows.length);
  rows.forEach((row, k) => features.set(row, FPFH_SIZE * k));
  return { cloud: { positions: Float32Array.from(positions), normals: Float32Array.from(normals) }, features };
}

import type { PointCloud } from '../geometry/point-cloud.js';
import { invertRigid, multiply, rotationAngle, type Mat4 } from '../math/mat4.js';
import { RigidFit } from '../math/rigid-fit.js';
import { centroidOf } from './cloud-measures.js';
import type { Correspondences } from './correspondences.js';

/** One way in which the source may sit on the target. */
export interface PlacementHypothesis {
  targetFromSource: Mat4;
  /** Correspondences that agree with it. */
  agreeing: number;
}

/**
 * Finds the rigid placements that many correspondences agree on. Two correspondences are compatible when they keep
 * the distance between their points and the angles of their normals to each other and to the connecting line; a
 * seed's companions are ranked by how many compatible partners they share with it, which tells true pairs from chance
 * even when one in a hundred is right.
 *
 * Source: Z. Chen, K. Sun, F. Yang, W. Tao (2022), SC²-PCR: a second order spatial compatibility for efficient and
 * robust point cloud registration. Deviation: hard compatibility kept as bit rows, normals added, several distinct
 * placements returned. O(c²) for c correspondences.
 *
 * @param tolerance how far apart, in mm, the ends of a right pair may be (about the clouds' cell size)
 * @param mostSeeds correspondences that are tried as seeds, those with most compatible partners
 */
export function findConsistentPlacements(
  source: PointCloud,
  target: PointCloud,
  pairs: Correspondences,
  tolerance: number,
  limit: number,
  mostSeeds = 160,
): PlacementHypothesis[] {
  const c = pairs.source.length;
  if (c < 4) return [];
  const words = (c + 31) >> 5;
  const rows = new Uint32Array(c * words);
  const degree = new Uint32Array(c);
  const P = gather(source, pairs.source);
  const Q = gather(target, pairs.target);
  const closest = (3 * tolerance) ** 2;
  const angleSlack = 0.35;
  for (let i = 0; i < c; i++) {
    const a = 6 * i;
    for (let j = i + 1; j < c; j++) {
      const b = 6 * j;
      const px = P[b] - P[a];
      const py = P[b + 1] - P[a + 1];
      const pz = P[b + 2] - P[a + 2];
      const qx = Q[b] - Q[a];
      const qy = Q[b + 1] - Q[a + 1];
      const qz = Q[b + 2] - Q[a + 2];
      const p2 = px * px + py * py + pz * pz;
      const q2 = qx * qx + qy * qy + qz * qz;
      if (p2 < closest || q2 < closest) continue;
      const pl = Math.sqrt(p2);
      const ql = Math.sqrt(q2);
      const gap = pl - ql;
      if (gap > tolerance || gap < -tolerance) continue;
      const nn =
        P[a + 3] * P[b + 3] +
        P[a + 4] * P[b + 4] +
        P[a + 5] * P[b + 5] -
        (Q[a + 3] * Q[b + 3] + Q[a + 4] * Q[b + 4] + Q[a + 5] * Q[b + 5]);
      if (nn > angleSlack || nn < -angleSlack) continue;
      const na =
        (P[a + 3] * px + P[a + 4] * py + P[a + 5] * pz) / pl - (Q[a + 3] * qx + Q[a + 4] * qy + Q[a + 5] * qz) / ql;
      if (na > angleSlack || na < -angleSlack) continue;
      const nb =
        (P[b + 3] * px + P[b + 4] * py + P[b + 5] * pz) / pl - (Q[b + 3] * qx + Q[b + 4] * qy + Q[b + 5] * qz) / ql;
      if (nb > angleSlack || nb < -angleSlack) continue;
      rows[i * words + (j >> 5)] |= 1 << (j & 31);
      rows[j * words + (i >> 5)] |= 1 << (i & 31);
      degree[i]++;
      degree[j]++;
    }
  }

  const seeds = Array.from({ length: c }, (_, i) => i).sort((i, j) => degree[j] - degree[i] || i - j);
  const shared = new Uint32Array(c);
  const fit = new RigidFit();
  const found: PlacementHypothesis[] = [];
  const tried = Math.min(c, mostSeeds);
  for (let s = 0; s < tried; s++) {
    const seed = seeds[s];
    if (degree[seed] < 3) break;
    const row = seed * words;
    const companions: number[] = [];
    for (let j = 0; j < c; j++) {
      if (!(rows[row + (j >> 5)] & (1 << (j & 31)))) continue;
      let count = 0;
      const other = j * words;
      for (let w = 0; w < words; w++) count += popcount(rows[row + w] & rows[other + w]);
      shared[j] = count;
      companions.push(j);
    }
    companions.sort((i, j) => shared[j] - shared[i] || i - j);
    const use = companions.slice(0, 24);
    if (use.length < 3) continue;
    let placement = fitPairs(fit, P, Q, [seed, ...use]);
    let agreeing = inliers(P, Q, placement, 2 * tolerance);
    if (agreeing.length < 4) continue;
    placement = fitPairs(fit, P, Q, agreeing);
    agreeing = inliers(P, Q, placement, 1.5 * tolerance);
    if (agreeing.length >= 4) placement = fitPairs(fit, P, Q, agreeing);
    found.push({ targetFromSource: placement, agreeing: agreeing.length });
  }
  found.sort((a, b) => b.agreeing - a.agreeing);
  const distinct: PlacementHypothesis[] = [];
  for (const f of found) {
    if (distinct.length === limit) break;
    if (!distinct.some((d) => isSamePlacement(d.targetFromSource, f.targetFromSource, source, 3 * tolerance, 0.2))) {
      distinct.push(f);
    }
  }
  return distinct;
}

/** True if two placements put the source's middle within `distance` mm and turn it alike within `angleRad`. */
export function isSamePlacement(a: Mat4, b: Mat4, source: PointCloud, distance: number, angleRad: number): boolean {
  const delta = multiply(invertRigid(a), b);
  if (rotationAngle(delta) > angleRad) return false;
  const [x, y, z] = centroidOf(source);
  const dx = delta[0] * x + delta[4] * y + delta[8] * z + delta[12] - x;
  const dy = delta[1] * x + delta[5] * y + delta[9] * z + delta[13] - y;
  const dz = delta[2] * x + delta[6] * y + delta[10] * z + delta[14] - z;
  return Math.hypot(dx, dy, dz) <= distance;
}

/** Position and normal of chosen points, six numbers each. */
function gather(cloud: PointCloud, indices: Uint32Array): Float64Array {
  const out = new Float64Array(6 * indices.length);
  for (let i = 0; i < indices.length; i++) {
    for (let k = 0; k < 3; k++) {
      out[6 * i + k] = cloud.positions[3 * indices[i] + k];
      out[6 * i + 3 + k] = cloud.normals![3 * indices[i] + k];
    }
  }
  return out;
}

function fitPairs(fit: RigidFit, P: Float64Array, Q: Float64Array, use: number[]): Mat4 {
  fit.reset();
  for (const i of use) fit.add(P[6 * i], P[6 * i + 1], P[6 * i + 2], Q[6 * i], Q[6 * i + 1], Q[6 * i + 2]);
  return fit.solve();
}

function inliers(P: Float64Array, Q: Float64Array, m: Mat4, tolerance: number): number[] {
  const out: number[] = [];
  const t2 = tolerance * tolerance;
  for (let i = 0; i < P.length; i += 6) {
    const x = P[i];
    const y = P[i + 1];
    const z = P[i + 2];
    const dx = m[0] * x + m[4] * y + m[8] * z + m[12] - Q[i];
    const dy = m[1] * x + m[5] * y + m[9] * z + m[13] - Q[i + 1];
    const dz = m[2] * x + m[6] * y + m[10] * z + m[14] - Q[i + 2];
    if (dx * dx + dy * dy + dz * dz <= t2) out.push(i / 6);
  }
  return out;
}

function popcount(v: number): number {
  v -= (v >>> 1) & 0x55555555;
  v = (v & 0x33333333) + ((v >>> 2) & 0x33333333);
  return Math.imul((v + (v >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}

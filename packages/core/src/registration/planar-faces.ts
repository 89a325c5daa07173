import type { PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';
import { PlaneFit } from '../math/plane-fit.js';
import type { Random } from '../math/random.js';

/** A flat face of a scan: where `normal · x = offset`, the normal pointing to the sensor's side. */
export interface PlanarFace {
  normal: Vec3;
  offset: number;
  middle: Vec3;
  /** Share of the scan's points that lie on it (0–1). */
  share: number;
}

const SAMPLE = 1500;
const TRIES = 40;
/** Smaller faces say little and could be chance on a curved body. */
const LEAST_SHARE = 0.01;
const MOST_FACES = 16;
/** Normals on a flat face scatter less than this about its own (root mean square, about 2.6°); on a curved cap more. */
const SCATTER = 0.045;
/** Cosine within which a point's normal belongs to a face (about 8°). */
const TURNED_ALIKE = 0.99;

/**
 * The largest flat faces of a scan, at most sixteen: planes through single points with their normals, the best supported
 * first, each refitted to its points, which are then taken away. Faces in one plane count as one.
 *
 * Source: M. Fischler, R. Bolles (1981), Random sample consensus; one oriented point fixes a plane. O(faces · tries · sample).
 *
 * @param shuffle indices in random order; `reach` distance within which a point lies on a plane, mm
 */
export function findPlanarFaces(cloud: PointCloud, shuffle: Uint32Array, reach: number, random: Random): PlanarFace[] {
  const p = cloud.positions;
  const n = cloud.normals!;
  let left = Array.from(shuffle.subarray(0, SAMPLE));
  const total = left.length;
  const on = (i: number, normal: ArrayLike<number>, offset: number): boolean =>
    isTurnedLike(n, i, normal) &&
    Math.abs(p[i] * normal[0] + p[i + 1] * normal[1] + p[i + 2] * normal[2] - offset) < reach;
  const out: PlanarFace[] = [];
  for (let found = 0; found < MOST_FACES && left.length > LEAST_SHARE * total; found++) {
    let best: { normal: Vec3; offset: number; count: number } | undefined;
    for (let t = 0; t < TRIES; t++) {
      const i = 3 * left[Math.floor(random() * left.length)];
      const normal: Vec3 = [n[i], n[i + 1], n[i + 2]];
      const offset = p[i] * normal[0] + p[i + 1] * normal[1] + p[i + 2] * normal[2];
      let count = 0;
      for (const k of left) if (on(3 * k, normal, offset)) count++;
      if (!best || count > best.count) best = { normal, offset, count };
    }
    if (!best || best.count < LEAST_SHARE * total) break;
    const face = refit(cloud, left, best.normal, (i) => on(i, best.normal, best.offset));
    const [own, rest]: [number[], number[]] = [[], []];
    for (const k of left) (on(3 * k, face.normal, face.offset) ? own : rest).push(k);
    if (own.length === 0) break;
    left = rest;
    const share = own.length / total;
    const bent = own.reduce((s, k) => s + 2 - 2 * cosineTo(n, 3 * k, face.normal), 0) / own.length;
    if (share >= LEAST_SHARE && bent < SCATTER ** 2) out.push({ ...face, share });
  }
  return out.sort((a, b) => b.share - a.share);
}

/** Whether the normal at number `i` is turned as those on a face are to the face's. */
export const isTurnedLike = (n: Float32Array, i: number, normal: ArrayLike<number>): boolean =>
  cosineTo(n, i, normal) > TURNED_ALIKE;

/** Cosine between a point's normal and a direction. */
const cosineTo = (n: Float32Array, i: number, normal: ArrayLike<number>): number =>
  n[i] * normal[0] + n[i + 1] * normal[1] + n[i + 2] * normal[2];

/**
 * Gives all points on a face its normal, in place: the noise of their own would hold scans where only their edges can, and
 * fits would creep.
 * @returns 1 for each point on a face
 */
export function snapNormals(cloud: PointCloud, faces: readonly PlanarFace[], reach: number): Uint8Array {
  const p = cloud.positions;
  const n = cloud.normals!;
  const onFace = new Uint8Array(p.length / 3);
  for (let i = 0; i < p.length; i += 3) {
    const face = faces.find(
      ({ normal, offset }) =>
        isTurnedLike(n, i, normal) &&
        Math.abs(p[i] * normal[0] + p[i + 1] * normal[1] + p[i + 2] * normal[2] - offset) < reach,
    );
    if (!face) continue;
    n.set(face.normal, i);
    onFace[i / 3] = 1;
  }
  return onFace;
}

function refit(
  cloud: PointCloud,
  points: number[],
  towards: Vec3,
  on: (i: number) => boolean,
): Omit<PlanarFace, 'share'> {
  const p = cloud.positions;
  const fit = new PlaneFit();
  for (const k of points) if (on(3 * k)) fit.add(p[3 * k], p[3 * k + 1], p[3 * k + 2]);
  if (fit.count < 3) return { normal: towards, middle: [0, 0, 0], offset: Infinity };
  const { middle, normal } = fit.solve();
  const facing = normal[0] * towards[0] + normal[1] * towards[1] + normal[2] * towards[2] < 0 ? -1 : 1;
  const turned: Vec3 = [facing * normal[0], facing * normal[1], facing * normal[2]];
  return { normal: turned, middle, offset: turned[0] * middle[0] + turned[1] * middle[1] + turned[2] * middle[2] };
}

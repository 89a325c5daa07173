import { diagonalOf } from '../geometry/point-cloud.js';
import { boxOf } from './cloud-measures.js';
import type { Scan } from '../geometry/scan.js';
import { dot3, rotateVector, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import { PlaneFit } from '../math/plane-fit.js';

/** What a scan's object lay on, in the scan's frame: the same for all scans of a setup. */
export interface Support {
  setup: string;
  /** Unit, from the support towards the object. */
  normal: Vec3;
  /** Height of the scan's middle over the support, mm. */
  height: number;
  middle: Vec3;
  /** Diagonal of the scan, mm. */
  size: number;
}

/** Fewer points of the support say too little. */
const LEAST_POINTS = 300;
/** The plane is fitted again without what is further off than this many deviations, so often. */
const TRIM = 2.5;
const ROUNDS = 4;
/** Largest deviation of its points from the plane, and least spread along it, as shares of the scan's size. */
const EVEN = 0.01;
const WIDE = 0.1;
/** It must keep so much of its points: what is more than a plane is no support. */
const MOSTLY = 0.6;
/** Supports fall together up to this lean (about 6°) and this difference in height, as a share of the size. */
const LEAN = Math.cos(0.1);
const RISE = 0.04;

/**
 * The plane that a scan's object lay on, from the support's points that were taken off it; undefined if the scan has no
 * setup, or no support that tells. O(points).
 */
export function supportOf(scan: Scan): Support | undefined {
  const q = scan.backdrop;
  if (!scan.setup || !q || q.length < 3 * LEAST_POINTS) return undefined;
  const size = diagonalOf(boxOf(scan.cloud));
  let used = Array.from({ length: q.length / 3 }, (_, i) => i);
  let plane = fitPlane(q, used);
  for (let round = 0; round < ROUNDS; round++) {
    const { middle, normal, rms } = plane;
    used = used.filter((i) => {
      const d: Vec3 = [q[3 * i] - middle[0], q[3 * i + 1] - middle[1], q[3 * i + 2] - middle[2]];
      return Math.abs(dot3(d, normal)) <= TRIM * rms + 1e-6;
    });
    plane = fitPlane(q, used);
  }
  if (used.length < MOSTLY * (q.length / 3) || plane.rms > EVEN * size || plane.spread < WIDE * size) return undefined;
  const middle: Vec3 = [0, 0, 0];
  const p = scan.cloud.positions;
  for (let i = 0; i < p.length; i++) middle[i % 3] += (3 * p[i]) / p.length;
  const up = dot3(plane.normal, middle) - dot3(plane.normal, plane.middle);
  const towards = up < 0 ? -1 : 1;
  const normal: Vec3 = [towards * plane.normal[0], towards * plane.normal[1], towards * plane.normal[2]];
  return { setup: scan.setup, normal, height: Math.abs(up), middle, size };
}

function fitPlane(q: Float32Array, used: readonly number[]): ReturnType<PlaneFit['solve']> {
  const fit = new PlaneFit();
  for (const i of used) fit.add(q[3 * i], q[3 * i + 1], q[3 * i + 2]);
  return fit.solve();
}

/** Whether a placement lets the supports of two scans of one setup fall together; those of others always may. */
export function keepsSupport(a: Support | undefined, b: Support | undefined, bFromA: Mat4): boolean {
  if (!a || !b || a.setup !== b.setup) return true;
  if (dot3(rotateVector(bFromA, ...a.normal), b.normal) < LEAN) return false;
  const at = transformPoint(bFromA, ...a.middle);
  const d: Vec3 = [at[0] - b.middle[0], at[1] - b.middle[1], at[2] - b.middle[2]];
  return Math.abs(b.height + dot3(d, b.normal) - a.height) <= RISE * Math.max(a.size, b.size);
}

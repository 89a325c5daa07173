import {
  boundsOf,
  diagonalOf,
  filterPoints,
  pointCount,
  selectPoints,
  type PointCloud,
} from '../geometry/point-cloud.js';
import { cross3, dot3, normalize3, perpendiculars, type Vec3 } from '../math/mat4.js';
import { PlaneFit } from '../math/plane-fit.js';
import type { RunContext } from '../runtime/run-context.js';
import { estimateSpacing } from './spacing.js';
import { supportRelief } from './support-relief.js';

export interface RemoveSupportPlaneOptions {
  /** Points up to this height above the support go with it, mm; 0 = from the data (rim where object and support meet). */
  clearance: number;
  /** The support must hold at least this share of the points (0–1). */
  minShare: number;
  /**
   * The object may stand on a board or step with a lower level beside it: both go, and all between. Not by default,
   * since an object with steps of its own, scanned without support, looks the same.
   */
  lowerLevels: boolean;
}

export const REMOVE_SUPPORT_PLANE_DEFAULTS: RemoveSupportPlaneOptions = {
  clearance: 0,
  minShare: 0.08,
  lowerLevels: false,
};

/** `n · x = offset`, the normal turned towards the sensor. */
export interface SupportPlane {
  normal: Vec3;
  offset: number;
  /** Root mean square distance of its points, mm. */
  rms: number;
  share: number;
}

export interface RemoveSupportPlaneResult {
  cloud: PointCloud;
  keep: Uint8Array;
  /** Absent when no support was found; the cloud is then unchanged. */
  plane?: SupportPlane;
  removed: number;
}

const TRIALS = 400;
/** A relief is followed if its points lie so much closer to it than to the plane. */
const WARPED = 0.7;

/**
 * Finds the plane the object rests on and drops it, all below it, and the thin rim just above it. Where the support is
 * not flat, its own relief takes the plane's place.
 *
 * A support differs from a flat face of the object: seen from the sensor everything else stands in front of it, and
 * it reaches out beyond the object's foot. Without viewpoints the second test alone decides. If no plane passes, the
 * cloud comes back unchanged. O(trials · sample + n).
 *
 * Source: M. Fischler, R. Bolles (1981), Random sample consensus; refined by least squares on the consensus set.
 */
export function removeSupportPlane(
  cloud: PointCloud,
  viewpoints: Vec3[],
  options: Partial<RemoveSupportPlaneOptions>,
  ctx: RunContext,
): RemoveSupportPlaneResult {
  const o = { ...REMOVE_SUPPORT_PLANE_DEFAULTS, ...options };
  const n = pointCount(cloud);
  const unchanged: RemoveSupportPlaneResult = { cloud, keep: new Uint8Array(n).fill(1), removed: 0 };
  const spacing = estimateSpacing(cloud);
  if (!(spacing > 0)) return unchanged;
  const plane = findSupportPlane(cloud, viewpoints, spacing, o, ctx);
  if (!plane) return unchanged;

  // A cloth or a warped board: what lies close to the plane may still be followed.
  const found = supportRelief(cloud.positions, plane, spacing);
  const relief = found && found.rms < WARPED * plane.rms ? found : undefined;
  const clearance = o.clearance || Math.max(relief ? 5 * relief.rms : 4 * plane.rms, 1.5 * spacing);
  const keep = new Uint8Array(n);
  let removed = 0;
  const p = cloud.positions;
  const [a, b, c] = plane.normal;
  for (let i = 0; i < n; i++) {
    const [x, y, z] = [p[3 * i], p[3 * i + 1], p[3 * i + 2]];
    const ground = plane.offset + (relief?.heightAt(x, y, z) ?? 0);
    if (a * x + b * y + c * z - ground > clearance) keep[i] = 1;
    else removed++;
  }
  return { cloud: filterPoints(cloud, keep), keep, plane, removed };
}

function findSupportPlane(
  cloud: PointCloud,
  viewpoints: Vec3[],
  spacing: number,
  { minShare, lowerLevels }: RemoveSupportPlaneOptions,
  ctx: RunContext,
): SupportPlane | undefined {
  const n = pointCount(cloud);
  const sample = selectPoints(
    cloud,
    Array.from({ length: Math.min(n, 4000) }, () => Math.floor(ctx.random() * n)),
  ).positions;
  const m = sample.length / 3;
  const tolerance = Math.max(1.5 * spacing, 0.004 * diagonalOf(boundsOf(cloud.positions)));

  let best = 0;
  let normal: Vec3 = [0, 0, 1];
  let offset = 0;
  for (let trial = 0; trial < TRIALS; trial++) {
    if ((trial & 31) === 0) ctx.checkpoint((0.7 * trial) / TRIALS);
    const i = 3 * Math.floor(ctx.random() * m);
    const j = 3 * Math.floor(ctx.random() * m);
    const k = 3 * Math.floor(ctx.random() * m);
    const u: Vec3 = [sample[j] - sample[i], sample[j + 1] - sample[i + 1], sample[j + 2] - sample[i + 2]];
    const v: Vec3 = [sample[k] - sample[i], sample[k + 1] - sample[i + 1], sample[k + 2] - sample[i + 2]];
    const w = cross3(u, v);
    if (Math.hypot(...w) < 1e-6) continue;
    const d = normalize3(w);
    const h = d[0] * sample[i] + d[1] * sample[i + 1] + d[2] * sample[i + 2];
    let count = 0;
    for (let s = 0; s < sample.length; s += 3) {
      const r = d[0] * sample[s] + d[1] * sample[s + 1] + d[2] * sample[s + 2] - h;
      if (r < tolerance && r > -tolerance) count++;
    }
    if (count > best) {
      best = count;
      normal = d;
      offset = h;
    }
  }
  if (best < minShare * m) return undefined;

  let rms = 0;
  let share = 0;
  let band = tolerance;
  for (let round = 0; round < 4; round++) {
    const fit = fitPlane(cloud.positions, normal, offset, band);
    if (!fit) return undefined;
    ({ normal, offset, rms, share } = fit);
    band = Math.max(spacing * 0.5, Math.min(band, 4 * rms));
  }
  // Turn it towards the sensor; without one, towards the side that holds the rest.
  const p = cloud.positions;
  let above = 0;
  let below = 0;
  for (let i = 0; i < p.length; i += 3) {
    const h = normal[0] * p[i] + normal[1] * p[i + 1] + normal[2] * p[i + 2] - offset;
    if (h > 2 * band) above++;
    else if (h < -2 * band) below++;
  }
  let flip = below > above;
  if (viewpoints.length > 0) {
    let side = 0;
    for (const v of viewpoints) {
      side += Math.sign(normal[0] * v[0] + normal[1] * v[1] + normal[2] * v[2] - offset);
    }
    flip = side < 0;
  }
  if (flip) {
    normal = [-normal[0], -normal[1], -normal[2]];
    offset = -offset;
    [above, below] = [below, above];
  }
  const plane = { normal, offset, rms, share };
  const onSensorSide = above / Math.max(1, above + below);
  if (above < 0.02 * n) return undefined;
  if (onSensorSide < 0.9 && !(lowerLevels && liesOnLevels(p, plane, band))) return undefined;
  return reachesBeyondFoot(p, plane, band) ? plane : undefined;
}

/** Do most points below a plane lie on levels parallel to it. */
function liesOnLevels(p: Float32Array, { normal: n, offset }: SupportPlane, band: number): boolean {
  const counts = new Map<number, number>();
  let below = 0;
  for (let i = 0; i < p.length; i += 3) {
    const h = n[0] * p[i] + n[1] * p[i + 1] + n[2] * p[i + 2] - offset;
    if (h > -2 * band) continue;
    below++;
    const bin = Math.floor(h / (2 * band));
    counts.set(bin, (counts.get(bin) ?? 0) + 1);
  }
  // A level may lie across the border of two bins; two levels are enough for a bench and its board.
  const bins = [...counts.keys()].map((b) => counts.get(b)! + (counts.get(b + 1) ?? 0)).sort((x, y) => y - x);
  return bins.slice(0, 3).reduce((s, c) => s + c, 0) > 0.6 * below;
}

/** Least-squares plane through the points within `band` of a plane. */
function fitPlane(
  p: Float32Array,
  normal: Vec3,
  offset: number,
  band: number,
): { normal: Vec3; offset: number; rms: number; share: number } | undefined {
  const fit = new PlaneFit();
  for (let i = 0; i < p.length; i += 3) {
    const h = normal[0] * p[i] + normal[1] * p[i + 1] + normal[2] * p[i + 2] - offset;
    if (h <= band && h >= -band) fit.add(p[i], p[i + 1], p[i + 2]);
  }
  if (fit.count < 10) return undefined;
  const { middle, normal: n, rms } = fit.solve();
  const d: Vec3 = dot3(n, normal) < 0 ? [-n[0], -n[1], -n[2]] : n;
  return { normal: d, offset: dot3(d, middle), rms, share: (3 * fit.count) / p.length };
}

/** True if the plane's points lie further out, around the middle of the rest's foot, than the rest itself. */
function reachesBeyondFoot(p: Float32Array, plane: SupportPlane, band: number): boolean {
  const n = plane.normal;
  const [u, v] = perpendiculars(n);
  const rest: number[] = [];
  const flat: number[] = [];
  let cx = 0;
  let cy = 0;
  for (let i = 0; i < p.length; i += 3) {
    const h = n[0] * p[i] + n[1] * p[i + 1] + n[2] * p[i + 2] - plane.offset;
    const a = u[0] * p[i] + u[1] * p[i + 1] + u[2] * p[i + 2];
    const b = v[0] * p[i] + v[1] * p[i + 1] + v[2] * p[i + 2];
    if (h > 2 * band) {
      rest.push(a, b);
      cx += a;
      cy += b;
    } else if (h > -band) flat.push(a, b);
  }
  cx /= rest.length / 2;
  cy /= rest.length / 2;
  const reach = (list: number[]): number => {
    const r = new Float64Array(list.length / 2);
    for (let i = 0; i < r.length; i++) r[i] = Math.hypot(list[2 * i] - cx, list[2 * i + 1] - cy);
    r.sort();
    return r[Math.floor(0.98 * (r.length - 1))];
  };
  return flat.length > 0 && reach(flat) > 1.08 * reach(rest);
}

import { performance } from 'node:perf_hooks';
import { boundsOf, type Scan, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
  transformPoints,
  type Mat4,
  type Vec3,
} from '@amber-knit/core/math';
import { removeStrayPoints, removeSupportPlane, thinByVoxel } from '@amber-knit/core/pointcloud';
import { registerScans, type RegisterScansResult } from '@amber-knit/core/registration';
import { createRunContext } from '@amber-knit/core/runtime';
import { PointGrid } from '@amber-knit/core/spatial';
import { simulateSingleViews, type SingleView, type SingleViewOptions } from '@amber-knit/demo';
import type { BenchObject } from './objects.js';

export interface TrialResult {
  registered: number;
  /** Placed, with rival places named. */
  doubtful: number;
  scans: number;
  /** Of the registered ones. */
  worstAngleDeg: number;
  worstShift: number;
  seconds: number;
  /** Errors of the registered ones' middles over the deviations that were predicted for them, root mean square. */
  overPredicted: number;
  /** The largest overlap such that pairs that overlap at least so much join all scans (0–1), by the true poses. */
  chainOverlap: number;
}

/** How a trial is run: what it prints, and whether registration is told how the object lay in each view. */
export interface TrialManner {
  log?: boolean;
  setupsKnown?: boolean;
  /** The same scans so many times as large: what is found must not depend on it. 1 if absent. */
  size?: number;
}

/** Cleans and registers simulated views and compares the poses with the truth, the best held scan aligned. */
export async function registrationTrial(
  object: BenchObject,
  options: Partial<SingleViewOptions>,
  { log = false, setupsKnown = false, size = 1 }: TrialManner = {},
): Promise<TrialResult> {
  const views = simulateSingleViews(object.mesh, object.color, options).map((v) => enlarged(v, size));
  const started = performance.now();
  const clean = cleanViews(views, log);
  const scans = setupsKnown ? clean.map((scan, i) => ({ ...scan, setup: views[i].setup })) : clean;
  const cleaned = performance.now();
  let stage = '';
  const result = await registerScans(
    scans,
    {},
    createRunContext({
      seed: 3,
      onProgress: (f, s) => {
        if (log && s !== stage) {
          stage = s;
          console.log(`  ${((performance.now() - cleaned) / 1000).toFixed(1)} s ${s}`);
        }
      },
    }),
  );
  const seconds = (performance.now() - started) / 1000;
  const chainOverlap = overlapOfChain(
    scans,
    views.map((v) => v.objectFromSensor),
  );
  // Where the anchor is itself in doubt, what is registered is judged by the first of those.
  const sureOf = (name: string): boolean => result.placements.some((p) => p.name === name && p.state === 'registered');
  const anchor = sureOf(result.anchor) ? result.anchor : result.placements.find((p) => p.state === 'registered')?.name;
  const error = poseErrors(
    result.placements.map((p) => (p.state === 'registered' || p.state === 'placed' ? p.pieceFromScan : undefined)),
    views.map((v) => v.objectFromSensor),
    result.placements.findIndex((p) => p.name === (anchor ?? result.anchor)),
    middleOf(object.mesh).map((v) => v * size) as Vec3,
  );
  if (log) {
    console.log(
      `  cleaning ${((cleaned - started) / 1000).toFixed(1)} s, all ${seconds.toFixed(1)} s, rms ${result.rms.toFixed(4)}, converged ${result.converged}, doubts ${result.doubts.map((d) => `${d.scans.length} scans ${d.rivals.length} rivals`).join(', ') || 'none'}`,
    );
    console.log(
      `  ${error.each.map((e, i) => (e ? `${result.placements[i].state === 'placed' ? '?' : ''}${e.angleDeg.toFixed(3)}°/${e.shift.toFixed(3)}` : 'loose')).join('  ')}`,
    );
  }
  const sure = error.each.filter((_, i) => result.placements[i].state === 'registered').filter((e) => e !== undefined);
  return {
    registered: sure.length,
    doubtful: error.registered - sure.length,
    worstAngleDeg: Math.max(...sure.map((e) => e.angleDeg)),
    worstShift: Math.max(...sure.map((e) => e.shift)),
    scans: scans.length,
    seconds,
    overPredicted: errorsOverPredicted(
      result,
      views.map((v) => v.objectFromSensor),
    ),
    chainOverlap,
  };
}

/** How the errors compare with what was predicted, along the piece's axes; the scan that all else is relative to is exact. */
function errorsOverPredicted({ placements, anchor }: RegisterScansResult, truth: readonly Mat4[]): number {
  const fixed = placements.findIndex((p) => p.name === anchor);
  if (fixed < 0) return NaN;
  const pieceFromObject = multiply(placements[fixed].pieceFromScan, invertRigid(truth[fixed]));
  let sum = 0;
  let count = 0;
  placements.forEach(({ state, uncertainty, pieceFromScan }, i) => {
    if (i === fixed || state !== 'registered' || !uncertainty) return;
    const moved = multiply(pieceFromScan, invertRigid(multiply(pieceFromObject, truth[i])));
    const to = transformPoint(moved, ...uncertainty.centre);
    for (let k = 0; k < 3; k++, count++)
      sum += (to[k] - uncertainty.centre[k]) ** 2 / uncertainty.covariance[6 * (3 + k) + 3 + k];
  });
  return Math.sqrt(sum / count);
}

/** A view of the same object so many times as large, from so much further away. */
function enlarged(view: SingleView, size: number): SingleView {
  if (size === 1) return view;
  const objectFromSensor = view.objectFromSensor.slice();
  for (let k = 12; k < 15; k++) objectFromSensor[k] *= size;
  const positions = view.cloud.positions.map((v) => v * size);
  return { ...view, cloud: { ...view.cloud, positions }, objectFromSensor };
}

function middleOf(mesh: TriangleMesh): Vec3 {
  const b = boundsOf(mesh.positions);
  return [(b.min[0] + b.max[0]) / 2, (b.min[1] + b.max[1]) / 2, (b.min[2] + b.max[2]) / 2];
}

/**
 * By how much scans overlap their neighbours, at the true poses: the weakest link of the spanning tree with the strongest
 * links (maximum spanning tree, R. Prim 1957). A pair's overlap is the share of the smaller scan's points within 1 % of
 * the scans' size of the other.
 */
export function overlapOfChain(scans: Scan[], objectFromSensor: Mat4[]): number {
  const clouds = scans.map((s, i) =>
    transformPoints(objectFromSensor[i], thinByVoxel(s.cloud, 0.01 * sizeOf(s)).cloud.positions),
  );
  const reach = 0.01 * Math.max(...scans.map(sizeOf));
  const grids = clouds.map((c) => new PointGrid(c, reach));
  const share = (a: number, b: number): number => {
    let hits = 0;
    const c = clouds[a];
    for (let i = 0; i < c.length; i += 3) if (grids[b].nearest(c[i], c[i + 1], c[i + 2], reach) >= 0) hits++;
    return hits / (c.length / 3);
  };
  const best = scans.map((_, i) => (i === 0 ? Infinity : 0));
  const done = new Set<number>();
  let weakest = 1;
  while (done.size < scans.length) {
    let next = -1;
    for (let i = 0; i < scans.length; i++) if (!done.has(i) && (next < 0 || best[i] > best[next])) next = i;
    done.add(next);
    weakest = Math.min(weakest, best[next]);
    for (let i = 0; i < scans.length; i++) {
      if (!done.has(i)) best[i] = Math.max(best[i], share(i, next), share(next, i));
    }
  }
  return weakest;
}

function sizeOf(scan: Scan): number {
  const b = boundsOf(scan.cloud.positions);
  return Math.hypot(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]);
}

/** Single views as scans, their table and stray points taken away. */
export function cleanViews(views: SingleView[], log = false): Scan[] {
  const ctx = createRunContext({ seed: 11 });
  const origin: Vec3[] = [[0, 0, 0]];
  return views.map((v) => {
    const plane = removeSupportPlane(v.cloud, origin, {}, ctx.part(0, 0));
    const backdrop = new Float32Array(
      Array.from(v.cloud.positions).filter((_, i) => plane.removed > 0 && !plane.keep[Math.floor(i / 3)]),
    );
    const clean = removeStrayPoints(plane.cloud, origin, {}, ctx.part(0, 0));
    if (log) {
      console.log(
        `  ${v.name}: ${v.cloud.positions.length / 3} points, support ${plane.removed}, stray ${clean.sparse}/${clean.grazing}/${clean.smallPieces}`,
      );
    }
    return {
      name: v.name,
      cloud: clean.cloud,
      viewpoints: origin,
      ...(backdrop.length > 0 ? { backdrop: thinByVoxel({ positions: backdrop }, 2).cloud.positions } : {}),
    };
  });
}

/** Pose errors against the truth; the shift is that of the object's middle. */
export function poseErrors(
  found: (Mat4 | undefined)[],
  truth: Mat4[],
  reference: number,
  middle: Vec3,
): {
  registered: number;
  worstAngleDeg: number;
  worstShift: number;
  meanShift: number;
  each: ({ angleDeg: number; shift: number } | undefined)[];
} {
  const objectFromPiece = multiply(truth[reference], invertRigid(found[reference]!));
  const each = found.map((pose, i) => {
    if (!pose) return undefined;
    const delta = multiply(multiply(objectFromPiece, pose), invertRigid(truth[i]));
    const m = transformPoint(delta, ...middle);
    return {
      angleDeg: (rotationAngle(delta) * 180) / Math.PI,
      shift: Math.hypot(m[0] - middle[0], m[1] - middle[1], m[2] - middle[2]),
    };
  });
  const good = each.filter((e) => e !== undefined);
  return {
    registered: good.length,
    worstAngleDeg: Math.max(...good.map((e) => e.angleDeg)),
    worstShift: Math.max(...good.map((e) => e.shift)),
    meanShift: good.reduce((s, e) => s + e.shift, 0) / good.length,
    each,
  };
}

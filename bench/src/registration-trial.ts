import { performance } from 'node:perf_hooks';
import type { Scan } from '@amber-knit/core/geometry';
import { invertRigid, multiply, rotationAngle, transformPoint, type Mat4, type Vec3 } from '@amber-knit/core/math';
import { removeStrayPoints, removeSupportPlane, thinByVoxel } from '@amber-knit/core/pointcloud';
import { registerScans } from '@amber-knit/core/registration';
import { createRunContext } from '@amber-knit/core/runtime';
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
}

/** Cleans and registers simulated views and compares the poses with the truth, the reference scan aligned. */
export async function registrationTrial(
  object: BenchObject,
  options: Partial<SingleViewOptions>,
  log = false,
): Promise<TrialResult> {
  const views = simulateSingleViews(object.mesh, object.color, options);
  const started = performance.now();
  const scans = cleanViews(views, log);
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
  const error = poseErrors(
    result.placements.map((p) => (p.state === 'registered' || p.state === 'placed' ? p.pieceFromScan : undefined)),
    views.map((v) => v.objectFromSensor),
    result.placements.findIndex((p) => p.name === result.reference),
    [0, 0, 75],
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
  };
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

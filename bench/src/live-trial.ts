import { performance } from 'node:perf_hooks';
import { marchingCubes } from '@amber-knit/core/fusion';
import type { DepthFrame } from '@amber-knit/core/geometry';
import {
  createRandom,
  invertRigid,
  multiply,
  RigidFit,
  rotationAngle,
  transformPoint,
  transformPoints,
  type Mat4,
  type Random,
} from '@amber-knit/core/math';
import { measureDeviation } from '@amber-knit/core/measure';
import { createRunContext } from '@amber-knit/core/runtime';
import { LiveScan, type TrackingState } from '@amber-knit/core/tracking';
import { captureFrame, UPRIGHT } from '@amber-knit/demo';
import { camera, heldPose, jugOnTable, truth } from './hand-held.js';

interface TrackedFrame {
  state: TrackingState;
  found: Mat4;
  truth: Mat4;
  ms: number;
}

const { scene, worldFromObject } = jugOnTable(UPRIGHT);

/** Pose of a hand-held sensor at an angle of a round, rising and sinking. */
function poseAt(aroundDeg: number, tremor: number, random: Random): Mat4 {
  const around = (aroundDeg * Math.PI) / 180;
  return heldPose(around, ((24 + 12 * Math.sin(2 * around)) * Math.PI) / 180, tremor, random);
}

/** Scans the jug along a script of angles. */
function scan(angles: number[], tremor: number, seed: number): { live: LiveScan; frames: TrackedFrame[] } {
  const random = createRandom(seed);
  const live = new LiveScan({ voxel: 1, distance: 330 });
  const frames = angles.map((angle, i): TrackedFrame => {
    const pose = poseAt(angle, tremor, random);
    const frame: Omit<DepthFrame, 'scanFromSensor'> = captureFrame(scene, pose, camera, random, `frame ${i}`);
    const started = performance.now();
    const r = live.process(frame);
    return { state: r.state, found: r.pieceFromSensor, truth: pose, ms: performance.now() - started };
  });
  return { live, frames };
}

/**
 * Prints what the live tracking reaches on scripted sweeps around the jug (simulated frames, 320×240).
 * ATE: root mean square of the positions after rigid alignment, after J. Sturm et al. (2012), A benchmark for the
 * evaluation of RGB-D SLAM systems.
 */
export function liveTrial(): void {
  const round = Array.from({ length: 121 }, (_, i) => 3 * i);
  report('one round, 3° a frame', scan(round, 1, 1));
  // 9° a frame with a strong tremor, then a jump, then slowly back over what was seen.
  const fast = Array.from({ length: 30 }, (_, i) => 9 * i);
  const back = Array.from({ length: 40 }, (_, i) => 60 - 1.5 * i);
  let [frames, misplaced] = [0, 0];
  for (let seed = 2; seed < 12; seed++) {
    const r = report(`three times as fast, tremor × 3, seed ${seed}`, scan([...fast, ...back], 3, seed));
    frames += r.frames;
    misplaced += r.misplaced;
  }
  console.log(`three times as fast: ${misplaced} of ${frames} frames misplaced over ten seeds`);
  const jump = [...Array.from({ length: 30 }, (_, i) => 3 * i), ...Array.from({ length: 12 }, () => 200), ...back];
  report('a jump to an unseen side, then led back', scan(jump, 1, 3));
}

function report(
  title: string,
  { live, frames }: { live: LiveScan; frames: TrackedFrame[] },
): { frames: number; misplaced: number } {
  const used = frames.filter((f) => f.state === 'tracked' || f.state === 'first');
  const fit = new RigidFit();
  for (const f of used) fit.add(f.found[12], f.found[13], f.found[14], f.truth[12], f.truth[13], f.truth[14]);
  const worldFromLive = fit.solve();
  const errors = used.map((f) => {
    const p = transformPoint(worldFromLive, f.found[12], f.found[13], f.found[14]);
    return Math.hypot(p[0] - f.truth[12], p[1] - f.truth[13], p[2] - f.truth[14]);
  });
  const ate = Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / errors.length);
  const liveFromWorld0 = invertRigid(frames[0].truth);
  const misplaced = used.filter((f) => {
    const wanted = multiply(liveFromWorld0, f.truth);
    const delta = multiply(invertRigid(wanted), f.found);
    return Math.hypot(delta[12], delta[13], delta[14]) > 5 || rotationAngle(delta) > 0.02;
  });
  const mesh = marchingCubes(live.field, 2, createRunContext());
  const inObject = transformPoints(multiply(invertRigid(worldFromObject), frames[0].truth), mesh.positions);
  const inWorld = transformPoints(frames[0].truth, mesh.positions);
  const body = inObject.filter((_, i) => inWorld[3 * Math.floor(i / 3) + 2] > 4);
  const d = measureDeviation(body, truth, 8, createRunContext());
  const ms = frames.map((f) => f.ms).sort((a, b) => a - b);
  const states = frames.map((f) => f.state[0]).join('');
  console.log(`${title}: ${used.length}/${frames.length} frames in the model, ${misplaced.length} misplaced`);
  console.log(`  ${states}`);
  console.log(
    `  ATE ${ate.toFixed(3)} mm; model against truth RMS ${d.rms.toFixed(3)}, 95 % ${d.p95.toFixed(3)} mm; ` +
      `${(1000 / (ms.reduce((a, b) => a + b, 0) / ms.length)).toFixed(1)} frames/s, median ${ms[ms.length >> 1].toFixed(0)} ms`,
  );
  return { frames: frames.length, misplaced: misplaced.length };
}

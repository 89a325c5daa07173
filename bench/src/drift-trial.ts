import { performance } from 'node:perf_hooks';
import { refineFrames } from '@amber-knit/core/frames';
import type { DepthFrame } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTwist,
  gaussian,
  invertRigid,
  multiply,
  transformPoint,
  type Mat4,
  type Vec3,
} from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import {
  captureFrame,
  restingPose,
  setupScene,
  truthMesh,
  turnedGauge,
  UPRIGHT,
  type SimulatedScene,
} from '@amber-knit/demo';
import { camera, heldPose, jugOnTable } from './hand-held.js';

/** Places of the object at which the frames' errors are looked at, mm. */
const PROBES: Vec3[] = [
  [40, 0, 20],
  [-40, 0, 20],
  [0, 40, 120],
  [0, -40, 120],
  [0, 0, 74],
];

interface Planted {
  name: string;
  scene: SimulatedScene;
  frames: number;
  /** Drift at the end of the round: degrees, mm. */
  degrees: number;
  mm: number;
  /** What each frame is off by itself, one standard deviation about every axis and along it: degrees, mm. */
  each?: { degrees: number; mm: number };
}

/**
 * Plants a drift that grows along one round (a little more than 360°, so that its ends overlap) and prints what is left
 * after the frames were refined: distance of probe points from where the frames' mean puts them, RMS and worst.
 */
export async function driftTrial(frames: number): Promise<void> {
  const gauge = truthMesh(turnedGauge, 1.5);
  const gaugeScene = setupScene(gauge, restingPose(gauge, UPRIGHT), turnedGauge.color, 0, 118);
  await report({ name: `jug, ${frames} frames`, scene: jugOnTable(UPRIGHT).scene, frames, degrees: 1, mm: 2 });
  await report({
    name: `jug, ${frames} frames each off by itself`,
    scene: jugOnTable(UPRIGHT).scene,
    frames,
    degrees: 0,
    mm: 0,
    each: { degrees: 0.15, mm: 0.4 },
  });
  await report({ name: `turned gauge, ${frames} frames`, scene: gaugeScene, frames, degrees: 0, mm: 0.14 });
}

async function report({
  name,
  scene,
  frames: count,
  degrees,
  mm,
  each = { degrees: 0, mm: 0 },
}: Planted): Promise<void> {
  const random = createRandom(1);
  const truth: Mat4[] = [];
  const frames = Array.from({ length: count }, (_, k): DepthFrame => {
    const around = (2 * Math.PI * k * 1.03) / count;
    const pose = heldPose(around, ((24 + 12 * Math.sin(2 * around)) * Math.PI) / 180, 1, random);
    truth.push(pose);
    const share = k / count;
    const turn = (share * degrees * Math.PI) / 180;
    const spin = fromTwist(0.6 * turn, 0, 0.8 * turn, 0, 0, 0);
    const [x, y, z] = transformPoint(spin, 0, 0, 74);
    // About the object's middle, so that the turn does not add to the shift.
    const drift = multiply(fromTwist(0, 0, 0, 0.6 * mm * share - x, 0.8 * mm * share - y, 74 - z), spin);
    const off = (size: number): number => (size === 0 ? 0 : size * gaussian(random));
    const angle = (each.degrees * Math.PI) / 180;
    const own = fromTwist(off(angle), off(angle), off(angle), off(each.mm), off(each.mm), off(each.mm));
    const scanFromSensor = multiply(drift, multiply(pose, own));
    return { ...captureFrame(scene, pose, camera, random, `frame ${k}`), scanFromSensor };
  });
  const begun = performance.now();
  const refined = await refineFrames(frames, {}, createRunContext());
  const seconds = (performance.now() - begun) / 1000;
  const line = (poses: Mat4[]): string => {
    const moved = poses.map((p, i) => multiply(p, invertRigid(truth[i])));
    const errors = PROBES.flatMap((probe) => {
      const at = moved.map((m) => transformPoint(m, ...probe));
      const mean = [0, 1, 2].map((k) => at.reduce((s, q) => s + q[k], 0) / count);
      return at.map((q) => Math.hypot(q[0] - mean[0], q[1] - mean[1], q[2] - mean[2]));
    });
    const rms = Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / errors.length);
    return `${rms.toFixed(3)} mm RMS, worst ${Math.max(...errors).toFixed(3)}`;
  };
  console.log(`${name}: planted ${line(frames.map((f) => f.scanFromSensor))}`);
  console.log(
    `  refined ${line(refined.frames.map((f) => f.scanFromSensor))}, ${seconds.toFixed(1)} s, ${refined.misfits.length} misfits`,
  );
}

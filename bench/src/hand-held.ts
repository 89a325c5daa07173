import { pinhole } from '@amber-knit/core/geometry';
import { fromTwist, gaussian, lookAt, multiply, type Mat4, type Random, type Vec3 } from '@amber-knit/core/math';
import {
  galleyJug,
  HAND_HELD_DEPTH_CAMERA,
  restingPose,
  setupScene,
  truthMesh,
  type SimulatedScene,
} from '@amber-knit/demo';

/** The jug's true surface. */
export const truth = truthMesh(galleyJug);

/** The sensor that is held by hand in the trials. */
export const camera = { ...HAND_HELD_DEPTH_CAMERA, depth: pinhole(320, 240, 34), color: { width: 320, height: 240 } };

/** The jug on its table in a resting position. */
export function jugOnTable(turn: Mat4): { scene: SimulatedScene; worldFromObject: Mat4 } {
  const worldFromObject = restingPose(truth, turn);
  return { scene: setupScene(truth, worldFromObject, galleyJug.color, 0.55, 118), worldFromObject };
}

/** Pose of a hand-held sensor looking at the jug's middle, with the hand's tremor. Angles in radians. */
export function heldPose(around: number, up: number, tremor: number, random: Random): Mat4 {
  const middle: Vec3 = [0, 0, 74];
  const distance = 330 + 12 * Math.sin(3 * around);
  const eye: Vec3 = [
    distance * Math.cos(up) * Math.cos(around),
    distance * Math.cos(up) * Math.sin(around),
    middle[2] + distance * Math.sin(up),
  ];
  const shake = [0, 1, 2].map(() => tremor * 0.002 * gaussian(random)) as Vec3;
  const shift = [0, 1, 2].map(() => tremor * 0.6 * gaussian(random)) as Vec3;
  return multiply(lookAt(eye, middle, [0, 0, 1]), fromTwist(...shake, ...shift));
}

import { fromAxisAngle, fromTranslation, multiply, transformPoint, type Mat4, type Vec3 } from '@amber-knit/core/math';

/** How a piece lies, in numbers that a person can read and write: where its middle is, mm, and turns in degrees. */
export interface MotionNumbers {
  middle: Vec3;
  /** About X, then about Y, then about Z of the surroundings. */
  turns: Vec3;
}

const DEGREES = Math.PI / 180;
const AXES: readonly Vec3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];

/** @param middle of the piece, in its own frame */
export function numbersOf(sceneFromPiece: readonly number[], middle: Vec3): MotionNumbers {
  const m = Float64Array.from(sceneFromPiece);
  // R = Rz · Ry · Rx, column by column.
  const y = Math.asin(Math.max(-1, Math.min(1, -m[2])));
  const upright = Math.abs(m[2]) < 1 - 1e-9;
  // Where Y is a quarter turn, X and Z turn about the same line: all of it is told as Z.
  const x = upright ? Math.atan2(m[6], m[10]) : 0;
  const z = upright ? Math.atan2(m[1], m[0]) : Math.atan2(-m[4], m[5]);
  return { middle: transformPoint(m, ...middle), turns: [x, y, z].map((a) => a / DEGREES + 0) as Vec3 };
}

export function motionOf({ middle: to, turns }: MotionNumbers, middle: Vec3): number[] {
  const turn = turns.reduce<Mat4>(
    (all, angle, k) => multiply(fromAxisAngle(AXES[k], angle * DEGREES), all),
    fromTranslation(0, 0, 0),
  );
  const now = transformPoint(turn, ...middle);
  return Array.from(multiply(fromTranslation(to[0] - now[0], to[1] - now[1], to[2] - now[2]), turn));
}

/** Moved by so much along an axis of the surroundings, mm. */
export const shiftedBy = (motion: readonly number[], axis: number, by: number): number[] =>
  motion.map((v, i) => (i === 12 + axis ? v + by : v));

/** Turned by so many degrees about an axis of the surroundings through the piece's middle. */
export function turnedBy(motion: readonly number[], axis: number, degrees: number, middle: Vec3): number[] {
  const m = Float64Array.from(motion);
  const at = transformPoint(m, ...middle);
  const about = multiply(
    fromTranslation(...at),
    multiply(fromAxisAngle(AXES[axis], degrees * DEGREES), fromTranslation(-at[0], -at[1], -at[2])),
  );
  return Array.from(multiply(about, m));
}

/** How far a pointer has pulled along a line whose unit is drawn as a step of the picture. */
export function pulledAlong(step: { x: number; y: number }, by: readonly [number, number]): number {
  const squared = step.x * step.x + step.y * step.y;
  // A line that is looked at from its end can't be pulled along.
  return squared < 1e-4 ? 0 : (by[0] * step.x + by[1] * step.y) / squared;
}

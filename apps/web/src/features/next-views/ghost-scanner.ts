import { lookAt, transformPoints, type Vec3 } from '@amber-knit/core/math';

/** Half the width and height of what is drawn as the scanner, and how far its picture's frame stands off, mm. */
const BODY = [34, 14, 10] as const;
const FRAME = [34, 26, 90] as const;
/** Distance of the points that its lines are drawn with, mm. */
const STEP = 0.8;

/** A scanner as points along its edges, looking from `eye` at `target`: a box, and the frame of what it sees before it. */
export function ghostScanner(eye: Vec3, target: Vec3): Float32Array {
  const steep =
    Math.abs(eye[2] - target[2]) > 0.9 * Math.hypot(eye[0] - target[0], eye[1] - target[1], eye[2] - target[2]);
  const lines: number[] = [];
  const line = (a: readonly number[], b: readonly number[]): void => {
    const steps = Math.ceil(Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]) / STEP);
    for (let s = 0; s <= steps; s++) for (let k = 0; k < 3; k++) lines.push(a[k] + ((b[k] - a[k]) * s) / steps);
  };
  const corner = ([x, y]: readonly number[], z: number, k: number): number[] => [
    k === 0 || k === 3 ? -x : x,
    k < 2 ? -y : y,
    z,
  ];
  for (let k = 0; k < 4; k++) {
    const next = (k + 1) % 4;
    line(corner(BODY, -BODY[2], k), corner(BODY, -BODY[2], next));
    line(corner(BODY, BODY[2], k), corner(BODY, BODY[2], next));
    line(corner(BODY, -BODY[2], k), corner(BODY, BODY[2], k));
    line(corner(FRAME, FRAME[2], k), corner(FRAME, FRAME[2], next));
    line([0, 0, BODY[2]], corner(FRAME, FRAME[2], k));
  }
  return transformPoints(lookAt(eye, target, steep ? [1, 0, 0] : [0, 0, 1]), Float32Array.from(lines));
}

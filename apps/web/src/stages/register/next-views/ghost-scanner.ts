import { lookAt, transformPoints, type Vec3 } from '@amber-knit/core/math';

/** Half the width, height and depth of what is drawn as the scanner, and how far its picture's frame stands off, mm. */
const BODY = [34, 14, 10] as const;
const FRAME_AT = 90;
/** Angles of view of a scanner that is not known, degrees. */
const USUAL_VIEW = { horizontal: 41, vertical: 32 };
/** Distance of the points that lines are drawn with, mm. */
const STEP = 0.8;

type Add = (a: ArrayLike<number>, b: ArrayLike<number>) => void;

/** Lines as points along them. */
function drawn(draw: (line: Add) => void): Float32Array {
  const points: number[] = [];
  draw((a, b) => {
    const steps = Math.ceil(Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]) / STEP);
    for (let s = 0; s <= steps; s++) for (let k = 0; k < 3; k++) points.push(a[k] + ((b[k] - a[k]) * s) / steps);
  });
  return Float32Array.from(points);
}

/** Segments of 6 numbers as points along them. */
export function drawnSegments(segments: Float32Array): Float32Array {
  return drawn((line) => {
    for (let i = 0; i < segments.length; i += 6) line(segments.subarray(i, i + 3), segments.subarray(i + 3, i + 6));
  });
}

/**
 * A scanner as points along its edges, looking from `eye` at `target`: a box, and the frame of what it sees before it,
 * which is as wide and high as its angles of view (degrees) make it.
 */
export function ghostScanner(eye: Vec3, target: Vec3, view = USUAL_VIEW): Float32Array {
  const half = (degrees: number): number => FRAME_AT * Math.tan((degrees * Math.PI) / 360);
  const frame = [half(view.horizontal), half(view.vertical)];
  const steep =
    Math.abs(eye[2] - target[2]) > 0.9 * Math.hypot(eye[0] - target[0], eye[1] - target[1], eye[2] - target[2]);
  const corner = ([x, y]: readonly number[], z: number, k: number): number[] => [
    k === 0 || k === 3 ? -x : x,
    k < 2 ? -y : y,
    z,
  ];
  const lines = drawn((line) => {
    for (let k = 0; k < 4; k++) {
      const next = (k + 1) % 4;
      line(corner(BODY, -BODY[2], k), corner(BODY, -BODY[2], next));
      line(corner(BODY, BODY[2], k), corner(BODY, BODY[2], next));
      line(corner(BODY, -BODY[2], k), corner(BODY, BODY[2], k));
      line(corner(frame, FRAME_AT, k), corner(frame, FRAME_AT, next));
      line([0, 0, BODY[2]], corner(frame, FRAME_AT, k));
    }
  });
  return transformPoints(lookAt(eye, target, steep ? [1, 0, 0] : [0, 0, 1]), lines);
}

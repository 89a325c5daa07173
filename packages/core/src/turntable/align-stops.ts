import { changedFrame, type DepthFrame } from '../geometry/depth-frame.js';
import { dot3, type Vec3 } from '../math/mat4.js';
import { frameCloud, removeSupportPlane } from '../pointcloud/index.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { buildDepthPyramid } from '../tracking/index.js';
import { findTurntableAxis, turnedBack, type TurntableAxis, type TurntableStop } from './turntable-axis.js';

/** What lies lower than this above the table belongs to it, mm. */
const CLEARANCE = 3;
/** The axis is looked for so far about the middle of what is seen of the table, mm. */
const REACH = 60;

/**
 * Puts the frames of a turntable's stops into one frame, the sensor's at angle 0: finds the table, then the axis from
 * the object on it. O(pixels + search, see `findTurntableAxis`).
 * @param angles degrees, one a frame
 * @throws GeometryError `degenerate` if there is no table to be seen or no axis to be found
 */
export function alignStops(
  frames: readonly DepthFrame[],
  angles: readonly number[],
  ctx: RunContext,
): { frames: DepthFrame[]; axis: TurntableAxis } {
  const { positions } = frameCloud({ name: '', camera: frames[0].camera, depth: frames[0].depth });
  const { plane, keep } = removeSupportPlane({ positions }, [[0, 0, 0]], { clearance: 0, minShare: 0.05 }, ctx);
  if (!plane) {
    throw new GeometryError(
      'degenerate',
      'The table can’t be made out. Aim so that its top shows around the object, and try again.',
    );
  }
  const near: Vec3 = [0, 0, 0];
  let count = 0;
  for (let i = 0; i < keep.length; i++) {
    if (keep[i]) continue;
    count++;
    for (let k = 0; k < 3; k++) near[k] += positions[3 * i + k];
  }
  const middle = near.map((v) => v / Math.max(1, count)) as Vec3;
  const stops = frames.map((f, i) => stopOf(f, angles[i], plane));
  const axis = findTurntableAxis(stops, plane, middle, REACH, ctx);
  return {
    axis,
    frames: frames.map((f, i) => changedFrame(f, { scanFromSensor: turnedBack(axis, angles[i]) })),
  };
}

/** Points and normals of what stands on the table, from the image at half size. */
function stopOf(
  frame: Omit<DepthFrame, 'scanFromSensor'>,
  angle: number,
  plane: { normal: Vec3; offset: number },
): TurntableStop {
  const { points, normals } = buildDepthPyramid(frame.camera, frame.depth, 1, undefined, 1)[0];
  const kept: number[] = [];
  for (let i = 0; i < points.length; i += 3) {
    if (normals[i + 2] === 0) continue;
    if (dot3(plane.normal, [points[i], points[i + 1], points[i + 2]]) < plane.offset + CLEARANCE) continue;
    kept.push(i);
  }
  const pick = (a: Float32Array): Float32Array => {
    const out = new Float32Array(3 * kept.length);
    kept.forEach((i, k) => out.set(a.subarray(i, i + 3), 3 * k));
    return out;
  };
  return { angle, points: pick(points), normals: pick(normals) };
}

import { rasterizeDepth } from '../mesh/index.js';
import {
  createRandom,
  dot3,
  fromAxisAngle,
  fromTranslation,
  gaussian,
  invertRigid,
  lookAt,
  multiply,
  rotateVector,
  transformPoint,
  type Vec3,
} from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { levelOf } from '../tracking/index.js';
import { lumps, meshOf } from '../../test/shapes.js';
import {
  findTurntableAxis,
  learnEmpty,
  markedFrame,
  placeMarkedFrames,
  readStopMark,
  stopMark,
  turnedBack,
  withoutEmpty,
  type TurntableStop,
} from './index.js';

const camera = { width: 128, height: 96, fx: 230, fy: 230, cx: 63.5, cy: 47.5 };
// The sensor stands askew; the table's axis is the world's z through (6, -4), the object sits off the axis.
const worldFromSensor = lookAt([180, 60, 110], [0, 0, 5], [0.05, 0, 1]);
const sensorFromWorld = invertRigid(worldFromSensor);
const CENTRE: Vec3 = [6, -4, -45];
const plane = (() => {
  const normal = rotateVector(sensorFromWorld, 0, 0, 1);
  return { normal, offset: dot3(normal, transformPoint(sensorFromWorld, ...CENTRE)) };
})();

function stopsOf(f: (x: number, y: number, z: number) => number, count: number, step: number): TurntableStop[] {
  const random = createRandom(4);
  const mesh = meshOf(f, 42, 1.6);
  return Array.from({ length: count }, (_, k) => {
    const turn = multiply(
      multiply(fromTranslation(...CENTRE), fromAxisAngle([0, 0, 1], (k * step * Math.PI) / 180)),
      fromTranslation(-CENTRE[0], -CENTRE[1], -CENTRE[2]),
    );
    const { depth } = rasterizeDepth(mesh, multiply(sensorFromWorld, turn), camera);
    const level = levelOf(
      camera,
      depth.map((z) => (z > 0 ? z + 0.05 * gaussian(random) : 0)),
    );
    const keep: number[] = [];
    for (let i = 0; i < level.points.length; i += 3) if (level.normals[i + 2] !== 0) keep.push(i);
    const pick = (a: Float32Array): Float32Array => Float32Array.from(keep.flatMap((i) => [a[i], a[i + 1], a[i + 2]]));
    return { angle: k * step, points: pick(level.points), normals: pick(level.normals) };
  });
}

test('the axis of twelve stops is found from the object alone', () => {
  const near = transformPoint(sensorFromWorld, 20, 12, -45);
  const axis = findTurntableAxis(stopsOf(lumps, 12, 30), plane, near, 40, createRunContext());
  const direction = rotateVector(worldFromSensor, ...axis.direction);
  const tilt = (Math.acos(Math.min(1, direction[2])) * 180) / Math.PI;
  const p = transformPoint(worldFromSensor, ...axis.point);
  // Where the axis passes the object's middle.
  const t = -p[2] / direction[2];
  const miss = Math.hypot(p[0] + t * direction[0] - CENTRE[0], p[1] + t * direction[1] - CENTRE[1]);
  expect(axis.sense).toBe(1);
  expect(tilt).toBeLessThan(0.1);
  expect(miss).toBeLessThan(0.1);
  expect(axis.overlapRatio).toBeGreaterThan(0.4);
  // Turning a stop back by its angle lays it onto the first.
  const a = transformPoint(turnedBack(axis, 90), ...transformPoint(sensorFromWorld, CENTRE[0], CENTRE[1] + 30, 0));
  const w = transformPoint(worldFromSensor, ...a);
  expect(Math.hypot(w[0] - CENTRE[0] - 30, w[1] - CENTRE[1], w[2])).toBeLessThan(0.2);
});

test('a table that turns the other way is noticed', () => {
  const stops = stopsOf(lumps, 9, 20).map((s) => ({ ...s, angle: -s.angle }));
  const near = transformPoint(sensorFromWorld, 0, 0, -45);
  expect(findTurntableAxis(stops, plane, near, 30, createRunContext()).sense).toBe(-1);
});

test('too few stops, and stops that do not belong together, are refused in words', () => {
  const ctx = createRunContext();
  const near = transformPoint(sensorFromWorld, 0, 0, -45);
  const stops = stopsOf(lumps, 4, 30);
  expect(() => findTurntableAxis(stops.slice(0, 2), plane, near, 30, ctx)).toThrow(/three stops/);
  const random = createRandom(1);
  const noise = stops.map((s) => ({ ...s, points: s.points.map(() => 400 * random()) }));
  expect(() => findTurntableAxis(noise, plane, near, 30, ctx)).toThrow(/no axis/);
});

test('what was there when the support was empty is left out, what stands before it stays', () => {
  const random = createRandom(2);
  // Nothing is measured in the upper rows, nor in one place of the support.
  const flat = () =>
    Float32Array.from({ length: 400 }, (_, i) => (i < 200 || i === 333 ? 0 : 300 + 0.05 * gaussian(random)));
  const empty = learnEmpty([flat(), flat(), flat()], 20);
  const depth = flat();
  // A thing 2 mm before the support, and something new where nothing was measured before.
  for (let i = 300; i < 330; i++) depth[i] = 298;
  depth[5] = 310;
  depth[333] = 300;
  const rest = withoutEmpty(depth, empty, 0.8);
  expect(Array.from(rest.subarray(300, 330)).every((z) => z === 298)).toBe(true);
  expect(rest[5]).toBe(310);
  expect(Array.from(rest).filter((z) => z > 0)).toHaveLength(31);
});

test('stops are marked by name; frames without marks stay as they are, too few stops are refused in words', () => {
  expect(readStopMark(stopMark('shape', 32.727_272))).toEqual({ pass: 'shape', angle: 32.73 });
  expect(readStopMark(stopMark('empty', 0))).toEqual({ pass: 'empty', angle: 0 });
  for (const name of ['frame 3', 'shape at ten', 'shape at 30° again', 'other at 30°'])
    expect(readStopMark(name)).toBeUndefined();
  const loose = { name: '', camera, depth: new Float32Array(128 * 96) };
  const tracked = { ...loose, name: 'frame 1', scanFromSensor: worldFromSensor };
  expect(placeMarkedFrames([tracked], createRunContext()).frames).toEqual([tracked]);
  const two = [0, 30].map((angle) => markedFrame(loose, 'shape', angle));
  expect(() => placeMarkedFrames(two, createRunContext())).toThrow(/Only 2 stops.*Resume/);
});

import {
  createRandom,
  fromTwist,
  gaussian,
  identity,
  invertRigid,
  lookAt,
  multiply,
  rotationAngle,
  transformPoint,
  type Mat4,
} from '../math/index.js';
import { rasterizeDepth } from '../mesh/index.js';
import { meshOf } from '../../test/shapes.js';
import { alignFromSecondStart, alignPainted, buildDepthPyramid, misfitOf, type DepthLevel } from './index.js';

const camera = { width: 320, height: 240, fx: 520, fy: 520, cx: 159.5, cy: 119.5 };
// A round body with its axis along Z, wider in the middle: its turn about the axis is all that the shape leaves free.
const body = meshOf((x, y, z) => Math.hypot(x, y, z / 1.6) - 38, 62, 2);
/** Specks of 2.5 mm without any order: an alignment that starts three of them away finds no slope to follow. */
const specks = (x: number, y: number, z: number): number => {
  const around = Math.floor((38 * Math.atan2(y, x)) / 2.5);
  const h = Math.imul(around, 0x8da6b343) ^ Math.imul(Math.floor(z / 2.5), 0xcb1ab31f);
  return 60 + (Math.imul(h ^ (h >>> 13), 0x5bd1e995) >>> 0) / 2 ** 25;
};

function shoot(degrees: number, seed: number): { pose: Mat4; levels: DepthLevel[]; bare: DepthLevel[] } {
  const random = createRandom(seed);
  const a = (degrees * Math.PI) / 180;
  const pose = lookAt([300 * Math.cos(a), 300 * Math.sin(a), 60], [0, 0, 0], [0, 0, 1]);
  const { depth } = rasterizeDepth(body, invertRigid(pose), camera);
  const light = new Float32Array(depth.length).fill(-1);
  for (let i = 0; i < depth.length; i++) {
    if (!(depth[i] > 0)) continue;
    const x = (((i % 320) - camera.cx) / camera.fx) * depth[i];
    const y = ((Math.floor(i / 320) - camera.cy) / camera.fy) * depth[i];
    light[i] = (specks(...transformPoint(pose, x, y, depth[i])) + 2 * gaussian(random)) / 255;
    depth[i] += 0.1 * gaussian(random);
  }
  return { pose, levels: buildDepthPyramid(camera, depth, 3, light), bare: buildDepthPyramid(camera, depth, 3) };
}

const one = shoot(0, 1);
const other = shoot(8, 2);
const truth = multiply(invertRigid(one.pose), other.pose);
/** Starts as if the body had turned by so much less than it did. */
const offBy = (degrees: number): Mat4 =>
  multiply(invertRigid(one.pose), multiply(fromTwist(0, 0, (degrees * Math.PI) / 180, 0, 0, 0), other.pose));
const wrong = (m: Mat4): number => (rotationAngle(multiply(m, invertRigid(truth))) * 180) / Math.PI;
const stages = (model: DepthLevel[], frame: DepthLevel[]): Parameters<typeof alignPainted>[0] =>
  [2, 1, 0].map((k) => ({
    frame: frame[k],
    model: model[k],
    iterations: 8,
    maxDistance: 3 * 2 ** k,
    references: [{ level: model[k], fromModel: identity(), scale: 6 }],
  }));

test.each([-8, -6.5, 8, 10])('from %d° off about its axis a painted round body is still put right', (degrees) => {
  const s = stages(one.levels, other.levels);
  const first = alignPainted(s, offBy(degrees));
  expect(wrong(first.modelFromFrame)).toBeGreaterThan(3);
  const found = alignFromSecondStart(s, offBy(degrees), first);
  expect(wrong(found.modelFromFrame)).toBeLessThan(0.15);
  expect(misfitOf(found)).toBeLessThan(misfitOf(first));
});

test('without paint, or where the shape holds everything, the first result stays', () => {
  const s = stages(one.bare, other.bare);
  const first = alignPainted(s, offBy(3));
  expect(first.correlation).toBe(0);
  expect(alignFromSecondStart(s, offBy(3), first)).toBe(first);
  // The shape alone hardly knows of the turn: what was wrong stays so.
  expect(wrong(first.modelFromFrame)).toBeGreaterThan(1);
});

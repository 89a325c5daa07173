import { BoxGeometry, CylinderGeometry, SphereGeometry, TorusGeometry, type BufferGeometry } from 'three';
import { boundsOf } from '../geometry/point-cloud.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import {
  dot3,
  fromAxisAngle,
  invertRigid,
  isRigid,
  multiply,
  rotateVector,
  transformPoints,
  type Vec3,
} from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { restingPlanes, turnUp, uprightMotion } from './index.js';

const tilt = multiply(fromAxisAngle([0.2, 0.9, -0.4], 1.3), fromAxisAngle([1, 0, 0], 0.5));
function tilted(geometry: BufferGeometry, noise = 0): TriangleMesh {
  const random = createRandom(2);
  const positions = Float32Array.from(geometry.getAttribute('position').array, (v) => v + noise * gaussian(random));
  return { positions: transformPoints(tilt, positions), indices: Uint32Array.from(geometry.getIndex()!.array) };
}
/** A direction of the shape as three.js made it, in the tilted one. */
const there = (x: number, y: number, z: number): Vec3 => rotateVector(tilt, x, y, z);

// Areas are those of the faces that three.js was asked for.
test('a box lies on its faces, the broadest first, with their areas', () => {
  const ways = restingPlanes(tilted(new BoxGeometry(60, 40, 20, 12, 8, 4)));
  expect(ways.map((w) => Math.round(w.area))).toEqual([2400, 2400, 1200, 1200, 800, 800]);
  expect(Math.abs(dot3(ways[0].up, there(0, 0, 1)))).toBeGreaterThan(0.999999);
  expect(ways[0].height).toBeCloseTo(-10, 3);
});

test('a tapered beaker stands on its wider end, also with the noise of a scan', () => {
  const [way] = restingPlanes(tilted(new CylinderGeometry(15, 25, 60, 64, 30), 0.05));
  expect(dot3(way.up, there(0, 1, 0))).toBeGreaterThan(0.9999);
  expect(way.area).toBeGreaterThan(0.9 * Math.PI * 25 ** 2);
});

test('a ring lies on its side; a ball lies nowhere broad; nothing lies on nothing', () => {
  const [ring] = restingPlanes(tilted(new TorusGeometry(30, 8, 48, 160)));
  expect(Math.abs(dot3(ring.up, there(0, 0, 1)))).toBeGreaterThan(0.999);
  for (const { area } of restingPlanes(tilted(new SphereGeometry(20, 48, 32)))) expect(area).toBeLessThan(60);
  expect(restingPlanes({ positions: new Float32Array(0), indices: new Uint32Array(0) })).toEqual([]);
});

test('what was up before it was tilted is up again, on the ground, with its origin where it is wanted', () => {
  const box = tilted(new BoxGeometry(60, 40, 20));
  const turn = turnUp(there(0, 0, 1));
  const motion = uprightMotion(box.positions, turn, true, 'base');
  expect(isRigid(motion)).toBe(true);
  const { min, max } = boundsOf(transformPoints(motion, box.positions));
  expect(min[2]).toBeCloseTo(0, 4);
  expect(max[2]).toBeCloseTo(20, 4);
  expect([min[0] + max[0], min[1] + max[1]].map(Math.abs).every((v) => v < 1e-3)).toBe(true);
  const kept = boundsOf(transformPoints(uprightMotion(box.positions, turn, false, 'keep'), box.positions));
  expect(kept.max[2]).toBeCloseTo(10, 4);
  const middle = boundsOf(transformPoints(uprightMotion(box.positions, turn, true, 'middle'), box.positions));
  expect(middle.max[2]).toBeCloseTo(10, 4);
});

test('straight down turns over; no direction is refused', () => {
  expect(rotateVector(turnUp([0, 0, -2]), 0, 0, -1)[2]).toBeCloseTo(1, 12);
  const [x, y, z] = rotateVector(multiply(turnUp([3, -1, 2]), invertRigid(turnUp([0, 0, 1]))), 3, -1, 2);
  expect([x, y].map((v) => Math.abs(v) < 1e-12)).toEqual([true, true]);
  expect(z).toBeCloseTo(Math.hypot(3, 1, 2), 10);
  expect(() => turnUp([0, 0, 0])).toThrow(/direction/);
});

import { lumps, meshOf, sphere } from '../../test/shapes.js';
import type { TriangleMesh } from '../geometry/index.js';
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
import { frameCloud } from '../pointcloud/index.js';
import { Snapping, type SnapScan } from './index.js';

const camera = { width: 120, height: 90, fx: 180, fy: 180, cx: 59.5, cy: 44.5 };
const body = meshOf(lumps, 42, 1.6);
const poseAt = (deg: number): Mat4 => {
  const a = (deg * Math.PI) / 180;
  return lookAt([200 * Math.cos(a), 200 * Math.sin(a), 60], [0, 0, 0], [0, 0, 1]);
};

function view(mesh: TriangleMesh, deg: number): SnapScan {
  const random = createRandom(deg + 1);
  const { depth } = rasterizeDepth(mesh, invertRigid(poseAt(deg)), camera);
  const noisy = depth.map((z) => (z > 0 ? z + 0.1 * gaussian(random) : 0));
  return { positions: frameCloud({ name: '', camera, depth: noisy }).positions, viewpoints: [[0, 0, 0]] };
}

/** How far the middle of the body is from where it belongs, mm, and the turn, degrees. */
function off(found: Mat4, truth: Mat4): { shift: number; turn: number } {
  const p = transformPoint(multiply(found, invertRigid(truth)), 0, 0, 0);
  return { shift: Math.hypot(...p), turn: (rotationAngle(multiply(found, invertRigid(truth))) * 180) / Math.PI };
}

const staying = [{ ...view(body, 0), pieceFromScan: poseAt(0) }];

test.each([1, 2, 3, 4, 5])('a scan held roughly where it belongs snaps there (%i)', (seed) => {
  const random = createRandom(seed);
  const g = (): number => gaussian(random);
  const held = multiply(fromTwist(0.06 * g(), 0.06 * g(), 0.06 * g(), 3 * g(), 3 * g(), 3 * g()), poseAt(40));
  const found = new Snapping(view(body, 40), staying).from(held);
  expect(found.holds).toBe(true);
  expect(off(found.pieceFromScan, poseAt(40)).shift).toBeLessThan(0.6);
  expect(off(found.pieceFromScan, poseAt(40)).turn).toBeLessThan(1);
  expect(found.overlap).toBeGreaterThan(0.4);
});

test('far from anything, or against something else, it stays in the hand', () => {
  const snapping = new Snapping(view(body, 40), staying);
  expect(snapping.from(multiply(fromTwist(0, 0, 0, 0, 0, 160), poseAt(40))).holds).toBe(false);
  // Its back against the other's front.
  expect(snapping.from(multiply(fromTwist(0, 0, 1.2, 0, 0, 0), poseAt(100))).holds).toBe(false);
  const ball = view(meshOf(sphere(18), 20, 1.2), 0);
  expect(new Snapping(ball, staying).from(multiply(fromTwist(0, 0, 0, 0, 40, 40), poseAt(0))).holds).toBe(false);
  expect(new Snapping(view(body, 40), []).from(identity()).holds).toBe(false);
});

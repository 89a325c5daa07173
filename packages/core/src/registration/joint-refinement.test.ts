import type { PointCloud } from '../geometry/point-cloud.js';
import {
  fromTranslation,
  fromTwist,
  identity,
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { estimateNormals } from '../pointcloud/normals.js';
import { createRunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import { spherePoints } from '../../test/shapes.js';
import { pointsTried, refineJointly, type RefinementScan } from './joint-refinement.js';

const ctx = createRunContext();

/** A ball with three bumps, which nothing lets turn: about 40 mm across, points 1 mm apart. */
function lumpy(x: Vec3): number {
  const bump = (a: Vec3, width: number): number =>
    7 * Math.exp(-(((x[0] - a[0]) ** 2 + (x[1] - a[1]) ** 2 + (x[2] - a[2]) ** 2) / width ** 2));
  return 20 + bump([18, 5, 3], 6) + bump([-4, 17, 8], 8) + bump([2, -9, -17], 5);
}

/** What is seen of it from a side, each scan with noise of its own. */
function seenFrom(side: Vec3, seed: number, noise: number): RefinementScan {
  const random = createRandom(seed);
  const unit = spherePoints(5000, 1);
  const kept: number[] = [];
  for (let i = 0; i < unit.length; i += 3) {
    const d: Vec3 = [unit[i], unit[i + 1], unit[i + 2]];
    if (d[0] * side[0] + d[1] * side[1] + d[2] * side[2] < -0.2) continue;
    const r = lumpy([20 * d[0], 20 * d[1], 20 * d[2]]) + noise * gaussian(random);
    kept.push(r * d[0], r * d[1], r * d[2]);
  }
  const bare: PointCloud = { positions: Float32Array.from(kept) };
  const eye: Vec3 = [200 * side[0], 200 * side[1], 200 * side[2]];
  const cloud = { ...bare, normals: estimateNormals(bare, [eye], { radius: 2.5 }, ctx).normals };
  const order = Array.from({ length: kept.length / 3 }, (_, i) => i);
  for (let i = order.length - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [order[i], order[j]] = [order[j], order[i]];
  }
  return { cloud, grid: new PointGrid(cloud.positions, 1.5), sample: Uint32Array.from(order) };
}

const SIDES: Vec3[] = [
  [1, 0, 0],
  [-0.5, 0.87, 0],
  [-0.5, -0.87, 0],
];
const scans = SIDES.map((side, i) => seenFrom(side, i + 1, 0.03));
const OPTIONS = { startDistance: 3, endDistance: 1.5, endTukey: 0.3 };

/** A small motion of the whole, the same for the same number. */
const astray = (k: number): Mat4 => {
  const random = createRandom(50 + k);
  const [a, b, c, x, y, z] = Array.from({ length: 6 }, () => gaussian(random));
  return fromTwist(0.02 * a, 0.02 * b, 0.02 * c, 0.6 * x, 0.6 * y, 0.6 * z);
};

/** Bound: 0.1 mm at the surface, degrees. Its bumps alone hold the turns. */
const TURN = 0.3;

/** How far a pose is from a true one: angle, degrees, and shift of the middle, mm. */
function errorOf(found: Mat4, truth: Mat4): { angle: number; shift: number } {
  const d = multiply(found, invertRigid(truth));
  return { angle: (rotationAngle(d) * 180) / Math.PI, shift: Math.hypot(...transformPoint(d, 0, 0, 0)) };
}

test('scans all round come back from 0.6 mm and a degree astray; the fixed one stays to the last digit', () => {
  const start = [identity(), astray(1), astray(2)];
  const { pieceFromScan, residuals, moved } = refineJointly(scans, start, [0], OPTIONS, ctx);
  expect(pieceFromScan[0]).toEqual(identity());
  for (const pose of pieceFromScan.slice(1)) {
    const { angle, shift } = errorOf(pose, identity());
    expect(angle).toBeLessThan(TURN);
    expect(shift).toBeLessThan(0.02);
  }
  // Each has noise of 0.03 mm, so distances between two have 0.03 √2 at least, and normals are estimated.
  expect(residuals).toHaveLength(3);
  for (const r of residuals) expect(r.rms).toBeLessThan(0.08);
  expect(moved.at(-1)!).toBeLessThan(moved[0]);
});

test('what is fixed decides the frame: the same scans about another place come to lie there', () => {
  const away = multiply(fromTranslation(30, -5, 12), fromTwist(0.4, -0.2, 0.9, 0, 0, 0));
  const start = [away, multiply(away, astray(1)), multiply(away, astray(2))];
  const { pieceFromScan } = refineJointly(scans, start, [0], OPTIONS, ctx);
  for (const pose of pieceFromScan) {
    const { angle, shift } = errorOf(multiply(invertRigid(away), pose), identity());
    expect(angle).toBeLessThan(TURN);
    expect(shift).toBeLessThan(0.02);
  }
});

test('a scan that overlaps nothing stays where it began', () => {
  const far = fromTranslation(500, 0, 0);
  const start = [identity(), astray(1), far];
  const { pieceFromScan, residuals } = refineJointly(scans, start, [0], OPTIONS, ctx);
  expect(errorOf(pieceFromScan[2], far).shift).toBeLessThan(1e-6);
  expect(residuals.map(({ a, b }) => [a, b])).toEqual([[0, 1]]);
});

test('what the shape leaves free stays where it began: a board comes down flat, and does not slide', () => {
  const board = (seed: number): RefinementScan => {
    const random = createRandom(seed);
    const positions = new Float32Array(3 * 1600);
    const normals = new Float32Array(3 * 1600);
    for (let i = 0; i < 1600; i++) {
      positions.set([(i % 40) - 20, Math.floor(i / 40) - 20, 0.02 * gaussian(random)], 3 * i);
      normals.set([0, 0, 1], 3 * i);
    }
    const sample = Uint32Array.from({ length: 1600 }, (_, i) => (i * 1009) % 1600);
    return { cloud: { positions, normals }, grid: new PointGrid(positions, 1.5), sample };
  };
  const slid = fromTwist(0, 0, 0.2, 3, -4, 0);
  const start = [identity(), multiply(fromTwist(0.01, -0.02, 0, 0, 0, 0.5), slid)];
  const { pieceFromScan } = refineJointly([board(1), board(2)], start, [0], { ...OPTIONS, hold: 1e-4 }, ctx);
  const { angle, shift } = errorOf(pieceFromScan[1], slid);
  expect(angle).toBeLessThan(0.05);
  expect(shift).toBeLessThan(0.05);
});

test('of scans that their faces hold more points are tried, as many as there are', () => {
  const [scan] = scans;
  const held = { ...scan, onFace: new Uint8Array(scan.sample.length) };
  expect(pointsTried(scan, 500)).toBe(500);
  expect(pointsTried(held, 500)).toBe(1500);
  expect(pointsTried(held, 1e6)).toBe(scan.sample.length);
});

test('it stops when told to, leaving what it was given as it was', () => {
  const start = [identity(), astray(1), astray(2)];
  const before = start.map((m) => [...m]);
  const stopped = createRunContext({
    onProgress: () => {
      throw new Error('stopped');
    },
  });
  expect(() => refineJointly(scans, start, [0], OPTIONS, stopped)).toThrow('stopped');
  expect(start.map((m) => [...m])).toEqual(before);
});

import { Matrix } from 'ml-matrix';
import type { PointCloud } from '../geometry/point-cloud.js';
import { identity, multiply, type Mat4, type Vec3 } from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { PointGrid } from '../spatial/point-grid.js';
import { twistAbout } from './icp.js';
import {
  accumulatePointToPlane,
  createPairSystem,
  type PairSystem,
  type PointToPlaneOptions,
} from './point-to-plane.js';

/** Points all over a ball with slightly wrong normals, and the same a little off: every pair is that of the same number. */
function pairOfClouds(): { source: PointCloud; target: PointCloud } {
  const random = createRandom(9);
  const at: Vec3[] = Array.from({ length: 300 }, () => [gaussian(random), gaussian(random), gaussian(random)]);
  const on = at.map((v) => v.map((x) => (20 * x) / Math.hypot(...v)) as Vec3);
  const towards = on.map((v) => {
    const n = v.map((x) => x / 20 + 0.1 * gaussian(random));
    return n.map((x) => x / Math.hypot(...n)) as Vec3;
  });
  const off = on.map((v) => v.map((x) => x + 0.05 * gaussian(random)) as Vec3);
  const normals = Float32Array.from(towards.flat());
  return {
    source: { positions: Float32Array.from(off.flat()), normals },
    target: { positions: Float32Array.from(on.flat()), normals },
  };
}

const { source, target } = pairOfClouds();
const grid = new PointGrid(target.positions, 2);
const all = Uint32Array.from({ length: 300 }, (_, i) => i);
const CENTRE: Vec3 = [3, -2, 5];
const WIDE: PointToPlaneOptions = { maxDistance: 1, tukey: 1e6, minNormalCosine: 0 };

function summed(o: PointToPlaneOptions = WIDE, pose: Mat4 = identity(), found?: Uint32Array): PairSystem {
  const out = createPairSystem();
  accumulatePointToPlane(source, all, all.length, target, grid, pose, CENTRE, o, out, found);
  return out;
}

/** Row of a point's derivative, (p - centre) × n and n, as in the papers. */
function rows(): { J: Matrix; r: Matrix } {
  const J = new Matrix(300, 6);
  const r = new Matrix(300, 1);
  const [p, q, n] = [source.positions, target.positions, target.normals!];
  for (let i = 0; i < 300; i++) {
    const [x, y, z] = [0, 1, 2].map((k) => p[3 * i + k] - CENTRE[k]);
    const [a, b, c] = [n[3 * i], n[3 * i + 1], n[3 * i + 2]];
    J.setRow(i, [y * c - z * b, z * a - x * c, x * b - y * a, a, b, c]);
    r.set(
      i,
      0,
      [0, 1, 2].reduce((s, k) => s + (p[3 * i + k] - q[3 * i + k]) * n[3 * i + k], 0),
    );
  }
  return { J, r };
}

test('information and gradient are those of the linearised least squares, by ml-matrix', () => {
  const { J, r } = rows();
  const out = summed();
  expect(out.pairs).toBe(300);
  const information = J.transpose().mmul(J).to1DArray();
  const gradient = J.transpose().mmul(r).to1DArray();
  information.forEach((v, k) => expect(Math.abs(out.information[k] - v)).toBeLessThan(1e-6 * information[0]));
  gradient.forEach((v, k) => expect(Math.abs(out.gradient[k] - v)).toBeLessThan(1e-6 * Math.hypot(...gradient)));
  expect(out.energy).toBeCloseTo(r.transpose().mmul(r).get(0, 0), 6);
});

test('the gradient is half the slope of the energy along every small motion', () => {
  const { gradient } = summed();
  for (let k = 0; k < 6; k++) {
    const step = 1e-4;
    const energyAt = (t: number): number => {
      const twist = Array.from({ length: 6 }, (_, i) => (i === k ? t : 0));
      return summed(WIDE, multiply(twistAbout(twist, 0, CENTRE), identity())).energy;
    };
    const slope = (energyAt(step) - energyAt(-step)) / (2 * step);
    expect(Math.abs(slope / 2 - gradient[k])).toBeLessThan(1e-3 * Math.hypot(...gradient));
  }
});

test('pairs weigh by Tukey’s biweight and by the trust in both points', () => {
  const { r } = rows();
  const tukey = 0.08;
  const trust = Float32Array.from({ length: 300 }, (_, i) => (i % 3) / 2);
  const weights = r.to1DArray().map((v, i) => (Math.abs(v) < tukey ? (1 - (v / tukey) ** 2) ** 2 * trust[i] ** 2 : 0));
  const out = summed({ ...WIDE, tukey, sourceTrust: trust, targetTrust: trust });
  expect(out.weight).toBeCloseTo(
    weights.reduce((s, w) => s + w, 0),
    3,
  );
  expect(out.energy).toBeCloseTo(
    r.to1DArray().reduce((s, v, i) => s + weights[i] * v * v, 0),
    4,
  );
});

test('points without a partner near enough, or turned away from it, take no part', () => {
  expect(summed({ ...WIDE, maxDistance: 0.01 }).pairs).toBeLessThan(summed().pairs);
  const turned = { ...target, normals: target.normals!.map((v) => -v) };
  const out = createPairSystem();
  accumulatePointToPlane(source, all, all.length, turned, grid, identity(), CENTRE, WIDE, out);
  expect([out.pairs, out.weight, out.tried]).toEqual([0, 0, 300]);
});

test('it says which points found a partner, so that only those are tried again', () => {
  const found = new Uint32Array(300);
  const first = summed({ ...WIDE, maxDistance: 0.08 }, identity(), found);
  expect(first.pairs).toBeGreaterThan(50);
  expect(first.pairs).toBeLessThan(300);
  const again = createPairSystem();
  const near = { ...WIDE, maxDistance: 0.08 };
  accumulatePointToPlane(source, found, first.pairs, target, grid, identity(), CENTRE, near, again);
  expect(again.information).toEqual(first.information);
  expect(again.tried).toBe(first.pairs);
});

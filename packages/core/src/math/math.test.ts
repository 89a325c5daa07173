import { Matrix, SingularValueDecomposition, EigenvalueDecomposition } from 'ml-matrix';
import {
  conjugateGradient,
  createRandom,
  fromAxisAngle,
  fromQuaternion,
  gaussian,
  invertRigid,
  isRigid,
  lookAt,
  multiply,
  PlaneFit,
  RigidFit,
  rotationAngle,
  screwOf,
  smallestEigenvector3,
  solveCholeskyInPlace,
  symmetricEigen,
  transformPoint,
  turnAbout,
} from './index.js';

test('the same seed gives the same numbers, another seed others', () => {
  const a = createRandom(5);
  const b = createRandom(5);
  const c = createRandom(6);
  const first = Array.from({ length: 50 }, a);
  expect(Array.from({ length: 50 }, b)).toEqual(first);
  expect(Array.from({ length: 50 }, c)).not.toEqual(first);
});

test('normal numbers have mean 0 and deviation 1', () => {
  const random = createRandom(3);
  const x = Array.from({ length: 20_000 }, () => gaussian(random));
  const mean = x.reduce((s, v) => s + v, 0) / x.length;
  const deviation = Math.sqrt(x.reduce((s, v) => s + (v - mean) ** 2, 0) / x.length);
  expect(Math.abs(mean)).toBeLessThan(0.03);
  expect(Math.abs(deviation - 1)).toBeLessThan(0.03);
});

test('rigid transforms invert, multiply and keep their angle', () => {
  const m = multiply(fromAxisAngle([1, 2, 3], 0.7), fromQuaternion(1, 0, 0, 0, 5, -6, 7));
  expect(isRigid(m)).toBe(true);
  expect(rotationAngle(m)).toBeCloseTo(0.7, 12);
  const back = multiply(invertRigid(m), m);
  back.forEach((v, i) => expect(v).toBeCloseTo(i % 5 === 0 ? 1 : 0, 12));
  expect(isRigid([...m].map((v) => v * 1.1))).toBe(false);
});

test('a sensor pose looks along its Z with Y down', () => {
  const pose = lookAt([100, 0, 50], [0, 0, 50], [0, 0, 1]);
  const ahead = transformPoint(pose, 0, 0, 100);
  [0, 0, 50].forEach((v, i) => expect(ahead[i]).toBeCloseTo(v, 9));
  expect(transformPoint(pose, 0, 10, 100)[2]).toBeCloseTo(40, 9);
});

test('eigenvectors agree with ml-matrix', () => {
  const random = createRandom(8);
  for (let k = 0; k < 50; k++) {
    const g = Array.from({ length: 9 }, () => gaussian(random));
    const a = new Matrix(3, 3);
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++)
        a.set(
          i,
          j,
          [0, 1, 2].reduce((s, r) => s + g[3 * r + i] * g[3 * r + j], 0),
        );
    const reference = new EigenvalueDecomposition(a, { assumeSymmetric: true });
    const smallest = Math.min(...reference.realEigenvalues);
    const v = reference.eigenvectorMatrix.getColumn(reference.realEigenvalues.indexOf(smallest));
    const out = new Float64Array(3);
    smallestEigenvector3(a.get(0, 0), a.get(0, 1), a.get(0, 2), a.get(1, 1), a.get(1, 2), a.get(2, 2), out);
    expect(Math.abs(v[0] * out[0] + v[1] * out[1] + v[2] * out[2])).toBeCloseTo(1, 5);
    const own = symmetricEigen(a.to1DArray(), 3);
    [...reference.realEigenvalues]
      .sort((p, q) => p - q)
      .forEach((value, i) => expect(own.values[i]).toBeCloseTo(value, 8));
  }
});

test('the rigid fit agrees with the SVD solution by ml-matrix', () => {
  // Reference: K. Arun, T. Huang, S. Blostein (1987), Least-squares fitting of two 3-D point sets.
  const random = createRandom(4);
  const truth = multiply(fromQuaternion(1, 0, 0, 0, 4, 5, 6), fromAxisAngle([0.3, -1, 0.5], 1.9));
  const P = Array.from({ length: 40 }, () => [0, 1, 2].map(() => 50 * gaussian(random)));
  const Q = P.map((p) => transformPoint(truth, p[0], p[1], p[2]).map((v) => v + 0.5 * gaussian(random)));
  const fit = new RigidFit();
  P.forEach((p, i) => fit.add(p[0], p[1], p[2], Q[i][0], Q[i][1], Q[i][2]));
  const own = fit.solve();
  const mean = (a: number[][]): number[] => [0, 1, 2].map((k) => a.reduce((s, p) => s + p[k] / a.length, 0));
  const [cp, cq] = [mean(P), mean(Q)];
  const H = Matrix.zeros(3, 3);
  P.forEach((p, i) => {
    for (let a = 0; a < 3; a++)
      for (let b = 0; b < 3; b++) H.set(a, b, H.get(a, b) + (p[a] - cp[a]) * (Q[i][b] - cq[b]));
  });
  const svd = new SingularValueDecomposition(H);
  const R = svd.rightSingularVectors.mmul(svd.leftSingularVectors.transpose());
  for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) expect(own[4 * c + r]).toBeCloseTo(R.get(r, c), 9);
});

test('linear systems are solved', () => {
  const a = Float64Array.from([4, 0, 0, 1, 3, 0, 0.5, 0.2, 2]);
  const full = [4, 1, 0.5, 1, 3, 0.2, 0.5, 0.2, 2];
  const x = [1, -2, 3];
  const b = Float64Array.from([0, 1, 2].map((r) => x.reduce((s, v, c) => s + full[3 * r + c] * v, 0)));
  expect(solveCholeskyInPlace(a, b, 3)).toBe(true);
  x.forEach((v, i) => expect(b[i]).toBeCloseTo(v, 10));
  expect(solveCholeskyInPlace(Float64Array.from([-1]), Float64Array.from([1]), 1)).toBe(false);
  const y = new Float64Array(3);
  const rhs = Float64Array.from([0, 1, 2].map((r) => x.reduce((s, v, c) => s + full[3 * r + c] * v, 0)));
  conjugateGradient(
    (v, out) => [0, 1, 2].forEach((r) => (out[r] = v.reduce((s, w, c) => s + full[3 * r + c] * w, 0))),
    Float64Array.from([4, 3, 2]),
    rhs,
    y,
    50,
  );
  x.forEach((v, i) => expect(y[i]).toBeCloseTo(v, 6));
});

describe('turns about an axis', () => {
  test('points on the axis stay, others go round it', () => {
    const axis = { point: [10, 5, 0] as [number, number, number], direction: [0, 0, 1] as [number, number, number] };
    const quarter = turnAbout(axis, Math.PI / 2);
    expect(transformPoint(quarter, 10, 5, 7)).toEqual([expect.closeTo(10), expect.closeTo(5), expect.closeTo(7)]);
    expect(transformPoint(quarter, 13, 5, 0)).toEqual([expect.closeTo(10), expect.closeTo(8), expect.closeTo(0)]);
  });

  test.each([0.2, 1.5, 3, Math.PI])('a screw of %f radians gives its axis, angle and shift back', (angle) => {
    const direction: [number, number, number] = [2 / 3, -1 / 3, 2 / 3];
    const turn = turnAbout({ point: [4, 20, -7], direction }, angle);
    const m = multiply(turn, fromQuaternion(1, 0, 0, 0, 5 * direction[0], 5 * direction[1], 5 * direction[2]));
    const screw = screwOf(m)!;
    expect(screw.angle).toBeCloseTo(angle, 6);
    const sign = Math.sign(screw.axis.direction[0]);
    screw.axis.direction.forEach((v, k) => expect(sign * v).toBeCloseTo(direction[k], 5));
    expect(sign * screw.shift).toBeCloseTo(5, 5);
    // The axis' points are those that the motion only shifts along it.
    const moved = transformPoint(m, ...screw.axis.point);
    moved.forEach((v, k) => expect(v - screw.axis.point[k]).toBeCloseTo(5 * direction[k], 4));
  });

  test('what does not turn has no axis', () => {
    expect(screwOf(fromQuaternion(1, 0, 0, 0, 3, 0, 0))).toBeUndefined();
  });
});

test('a plane is fitted through noisy points; its rms is their distance', () => {
  const random = createRandom(4);
  const fit = new PlaneFit();
  // 3x + 4z = 50 (divided by 5: distance 10 from the origin), noise even within 0.2 mm: rms 0.2 / √12.
  for (let i = 0; i < 40_000; i++) {
    const [u, v, h] = [100 * random() - 50, 100 * random() - 50, 10 + 0.2 * (random() - 0.5)];
    fit.add(0.6 * h - 0.8 * u, v, 0.8 * h + 0.6 * u);
  }
  const { middle, normal, rms, spread } = fit.solve();
  const sign = Math.sign(normal[0]);
  [0.6, 0, 0.8].forEach((n, k) => expect(sign * normal[k]).toBeCloseTo(n, 3));
  expect(sign * (normal[0] * middle[0] + normal[1] * middle[1] + normal[2] * middle[2])).toBeCloseTo(10, 2);
  expect(rms).toBeCloseTo(0.2 / Math.sqrt(12), 3);
  // Even over 100 mm both ways.
  expect(spread / (100 / Math.sqrt(12))).toBeCloseTo(1, 1);
});

test('the spread along a plane is that where it is least: a narrow strip’s width, none of a line', () => {
  const strip = new PlaneFit();
  const line = new PlaneFit();
  for (let i = 0; i < 10_000; i++) {
    strip.add((i % 100) - 49.5, 0.1 * (Math.floor(i / 100) - 49.5), 7);
    line.add(i, 2 * i, -i);
  }
  // A hundred even steps of 0.1: variance 0.1² (100² - 1) / 12.
  expect(strip.solve().spread).toBeCloseTo(Math.sqrt((0.01 * 9999) / 12), 6);
  expect(line.solve().spread / 10_000).toBeLessThan(1e-3);
});

import { Matrix, SVD } from 'ml-matrix';
import { fromAxisAngle, fromTranslation, multiply, transformPoint, type Vec3 } from '../math/index.js';
import { createRandom } from '../math/random.js';
import { fitPairs, type PointPair } from './pair-fit.js';

const truth = multiply(fromTranslation(30, -12, 5), fromAxisAngle([0.48, 0.6, 0.64], 2.2));
const spread: Vec3[] = [
  [0, 0, 0],
  [80, 5, 0],
  [10, 70, 8],
  [20, 15, 60],
  [60, 50, 30],
];
const pairsOf = (points: Vec3[], noise = 0, seed = 1): PointPair[] => {
  const random = createRandom(seed);
  const off = (): number => noise * (random() + random() - 1);
  return points.map((from) => {
    const [x, y, z] = transformPoint(truth, ...from);
    return { from, onto: [x + off(), y + off(), z + off()] };
  });
};
const kinds = (points: PointPair[]): string[] => fitPairs(points, 150).warnings.map((w) => w.kind);

test('exact pairs give the motion exactly, without a warning', () => {
  const fit = fitPairs(pairsOf(spread), 150);
  fit.ontoFromFrom.forEach((v, k) => expect(v).toBeCloseTo(truth[k], 9));
  expect(fit.rms).toBeLessThan(1e-9);
  expect(fit.scale).toBeCloseTo(1, 12);
  expect(fit.warnings).toEqual([]);
});

test('noisy pairs give what the singular values of ml-matrix give (Kabsch 1976)', () => {
  const pairs = pairsOf(spread, 2, 5);
  const mean = (which: 'from' | 'onto') => [0, 1, 2].map((k) => pairs.reduce((s, p) => s + p[which][k], 0) / 5);
  const [a, b] = [mean('from'), mean('onto')];
  const h = Matrix.zeros(3, 3);
  for (const { from, onto } of pairs)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++) h.set(i, j, h.get(i, j) + (from[i] - a[i]) * (onto[j] - b[j]));
  const svd = new SVD(h);
  const r = svd.rightSingularVectors.mmul(svd.leftSingularVectors.transpose());
  const { ontoFromFrom: m, errors, rms, scale } = fitPairs(pairs, 150);
  for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) expect(m[4 * j + i]).toBeCloseTo(r.get(i, j), 9);
  expect(rms).toBeCloseTo(Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / 5), 12);
  // Umeyama (1991): the sum of the singular values over the spread of what is moved.
  const squares = pairs.reduce((s, { from }) => s + from.reduce((q, v, k) => q + (v - a[k]) ** 2, 0), 0);
  expect(scale).toBeCloseTo(svd.diagonal.reduce((s, v) => s + v, 0) / squares, 9);
});

test('the warnings name what is wrong', () => {
  expect(fitPairs(pairsOf(spread.slice(0, 2)), 150).warnings).toEqual([{ kind: 'few', missing: 1 }]);
  expect(kinds(pairsOf([0, 30, 60, 90].map((t): Vec3 => [t, 2 * t, t % 20])))).toContain('line');
  expect(kinds(pairsOf(spread.slice(0, 3)))).toEqual(['plane']);
  expect(kinds(pairsOf(spread.map((p): Vec3 => [p[0], p[1], 3])))).toEqual(['plane']);
  expect(kinds(pairsOf(spread.map((p) => p.map((v) => 0.08 * v) as Vec3)))).toEqual(['close']);
  const inInches = pairsOf(spread).map((p) => ({ ...p, from: p.from.map((v) => v / 25.4) as Vec3 }));
  expect(fitPairs(inInches, 150).warnings).toContainEqual({ kind: 'scale', factor: expect.closeTo(25.4, 6) });
  expect(fitPairs(inInches, 150).scale).toBeCloseTo(25.4, 9);
  // Places on one spot have no size that could be compared.
  expect(fitPairs(pairsOf([1, 1, 1].map((): Vec3 => [5, 5, 5])), 150).scale).toBe(1);
});

test('one wrong pick is named; picks as good as hands are blame none', () => {
  for (let seed = 1; seed <= 20; seed++) {
    const pairs = pairsOf(spread, 1, seed);
    expect(fitPairs(pairs, 150).warnings).toEqual([]);
    const index = seed % 5;
    pairs[index].onto = pairs[index].onto.map((v, k) => v + (k === 1 ? 25 : 0)) as Vec3;
    expect(fitPairs(pairs, 150).warnings.filter((w) => w.kind === 'pair')).toEqual([
      { kind: 'pair', index, error: expect.any(Number) },
    ]);
  }
});

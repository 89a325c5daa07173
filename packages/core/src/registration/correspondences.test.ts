import { createRandom } from '../math/random.js';
import { FPFH_SIZE } from '../pointcloud/fpfh.js';
import { matchFeatures } from './correspondences.js';

function features(n: number, seed: number): Float32Array {
  const random = createRandom(seed);
  return Float32Array.from({ length: n * FPFH_SIZE }, () => 100 * random());
}

/** Squared distances of all pairs, looked at one by one. */
function distances(a: Float32Array, b: Float32Array): number[][] {
  const row = (f: Float32Array, i: number): Float32Array => f.subarray(i * FPFH_SIZE, (i + 1) * FPFH_SIZE);
  return Array.from({ length: a.length / FPFH_SIZE }, (_, i) =>
    Array.from({ length: b.length / FPFH_SIZE }, (_v, j) =>
      row(a, i).reduce((s, v, k) => s + (v - row(b, j)[k]) ** 2, 0),
    ),
  );
}

const nearest = (d: number[]): number => d.indexOf(Math.min(...d));

test('pairs are the nearest of either side, those that choose each other first', () => {
  const [a, b] = [features(40, 1), features(60, 2)];
  const d = distances(a, b);
  const back = Array.from({ length: 60 }, (_, j) => nearest(d.map((row) => row[j])));
  const expected = new Set([...d.map((row, i) => `${i} ${nearest(row)}`), ...back.map((i, j) => `${i} ${j}`)]);
  const { source, target } = matchFeatures(a, b, 1000);
  const got = Array.from(source, (s, k) => `${s} ${target[k]}`);
  expect(new Set(got)).toEqual(expected);
  expect(got).toHaveLength(expected.size);
  const mutual = got.map((_, k) => nearest(d[source[k]]) === target[k] && back[target[k]] === source[k]);
  expect(mutual.lastIndexOf(true)).toBe(mutual.filter(Boolean).length - 1);
});

test('the best come first, no more than asked for', () => {
  const [a, b] = [features(40, 1), features(60, 2)];
  const d = distances(a, b);
  const whole = matchFeatures(a, b, 1000);
  const few = matchFeatures(a, b, 10);
  expect(Array.from(few.source)).toEqual(Array.from(whole.source.slice(0, 10)));
  // Of those that choose each other the most alike are kept.
  const own = Array.from(few.source, (s, k) => d[s][few.target[k]]);
  expect(own).toEqual([...own].sort((x, y) => x - y));
});

test('within one cloud a point is no partner of its neighbours', () => {
  const f = features(30, 3);
  const places = Float32Array.from({ length: 90 }, (_, i) => (i % 3 === 0 ? i / 3 : 0));
  const { source, target } = matchFeatures(f, f, 1000, { places, apart: 5 });
  expect(source.length).toBeGreaterThan(20);
  source.forEach((s, k) => expect(Math.abs(s - target[k])).toBeGreaterThanOrEqual(5));
});

test('without points on one side there are no pairs', () => {
  expect(matchFeatures(features(5, 1), new Float32Array(0), 10).source).toHaveLength(0);
  expect(matchFeatures(new Float32Array(0), features(5, 1), 10).source).toHaveLength(0);
});

import { FPFH_SIZE } from '../pointcloud/fpfh.js';
import { createRandom } from '../math/random.js';
import type { PreparedScan } from './prepared-scan.js';
import { promisingPairs } from './promising-pairs.js';

const pairsOf = (n: number): [number, number][] =>
  Array.from({ length: n }, (_, a) =>
    Array.from({ length: n - a - 1 }, (_x, k): [number, number] => [a, a + 1 + k]),
  ).flat();

/** Scans along a round: each sees a quarter of the kinds of surroundings there are, neighbours mostly the same ones. */
function round(n: number): PreparedScan[] {
  const random = createRandom(5);
  const kinds = Array.from({ length: 120 }, () => Array.from({ length: FPFH_SIZE }, () => 20 * random()));
  return Array.from({ length: n }, (_, i) => {
    const seen = Array.from({ length: 30 }, (_x, k) => kinds[(Math.floor((120 * i) / n) + k) % 120]);
    return { features: Float32Array.from(seen.flatMap((kind) => kind.map((v) => v + random()))) } as PreparedScan;
  });
}

test('of few scans all pairs are compared', () => {
  const pairs = pairsOf(24);
  expect(promisingPairs(round(24), pairs)).toEqual(pairs.map((_, k) => k));
});

test('of many scans each is compared with those that see what it sees, and far fewer pairs in all', () => {
  const n = 60;
  const pairs = pairsOf(n);
  const chosen = promisingPairs(round(n), pairs).map((k) => pairs[k]);
  expect(chosen.length).toBeLessThan(0.45 * pairs.length);
  const has = new Set(chosen.map(([a, b]) => a * n + b));
  // Every scan with its next four on either side.
  for (let a = 0; a < n; a++) {
    for (let d = 1; d <= 4; d++) {
      const b = (a + d) % n;
      expect([a, b, has.has(Math.min(a, b) * n + Math.max(a, b))]).toEqual([a, b, true]);
    }
  }
  expect(promisingPairs(round(n), pairs)).toEqual(promisingPairs(round(n), pairs));
});

test('scans without features are paired all the same', () => {
  const scans = round(30);
  scans[3] = { features: new Float32Array(0) } as PreparedScan;
  const pairs = pairsOf(30);
  expect(promisingPairs(scans, pairs).filter((k) => pairs[k].includes(3)).length).toBeGreaterThanOrEqual(16);
});

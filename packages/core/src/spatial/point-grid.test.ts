import { createRandom } from '../math/random.js';
import { PointGrid } from './index.js';

/** Points of a small object and a few far away, as a stray reflection or a hall around it gives. */
function withFarPoints(n: number, far: number, distance: number, seed: number): Float32Array {
  const random = createRandom(seed);
  return Float32Array.from({ length: 3 * n }, (_, i) =>
    i < 3 * far ? distance * (2 * random() - 1) : 100 * random() * random(),
  );
}

const squared = (p: Float32Array, i: number, x: number, y: number, z: number): number =>
  (p[3 * i] - x) ** 2 + (p[3 * i + 1] - y) ** 2 + (p[3 * i + 2] - z) ** 2;

test.each([
  ['one point 10 m away', 1, 10_000],
  ['a hall around it', 300, 8000],
  ['nothing else', 0, 0],
])('%s: nearest, neighbours and their sums are those of brute force', (_name, far, distance) => {
  const n = 3000;
  const p = withFarPoints(n, far, distance, 5);
  const grid = new PointGrid(p, 2);
  const random = createRandom(9);
  const ids = new Uint32Array(n);
  const sums = new Float64Array(10);
  for (let k = 0; k < 300; k++) {
    const i = Math.floor(n * random());
    const [x, y, z] = [0, 1, 2].map((a) => p[3 * i + a] + 6 * (random() - 0.5));
    const radius = k % 5 === 0 ? 30_000 : 1 + 4 * random();
    const all = Array.from({ length: n }, (_, j) => squared(p, j, x, y, z));
    const best = Math.min(...all);
    if (best < radius * radius) {
      expect(all[grid.nearest(x, y, z, radius)]).toBeCloseTo(best, 3);
      expect(grid.foundSquared).toBeCloseTo(best, 3);
    } else expect(grid.nearest(x, y, z, radius)).toBe(-1);
    const wanted = all.flatMap((d, j) => (d <= radius * radius ? [j] : []));
    const found = ids.slice(0, grid.within(x, y, z, radius, ids)).sort();
    // Single precision decides about points on the very rim.
    expect(Math.abs(found.length - wanted.length)).toBeLessThanOrEqual(1);
    grid.moments(x, y, z, radius, sums);
    expect(sums[0]).toBe(found.length);
    const first = Array.from(found).reduce((s, j) => s + p[3 * j] - x, 0);
    const crossed = Array.from(found).reduce((s, j) => s + (p[3 * j + 1] - y) * (p[3 * j + 2] - z), 0);
    expect(sums[1]).toBeCloseTo(first, 1);
    expect(Math.abs(sums[8] - crossed)).toBeLessThan(1e-3 * Math.abs(crossed) + 1);
  }
});

test('cells stay about as small as wished for though a point lies far away', () => {
  const near = withFarPoints(20_000, 0, 0, 3);
  const far = near.slice();
  far.set([9000, -9000, 9000], 0);
  // Oversized cells are what makes searches look at all points.
  expect(new PointGrid(far, 1).cellSize).toBeLessThan(20 * new PointGrid(near, 1).cellSize);
});

import { createRandom } from '../math/index.js';
import { meshOf, sphere } from '../../test/shapes.js';
import { DisjointSets, PointGrid, TriangleBvh, VoxelTable, type SurfaceHit } from './index.js';

const random = createRandom(2);
const points = Float32Array.from({ length: 3 * 3000 }, () => 100 * random());

test('nearest and within agree with looking at every point', () => {
  const grid = new PointGrid(points, 5);
  const ids = new Uint32Array(3000);
  for (let q = 0; q < 300; q++) {
    const [x, y, z] = [0, 1, 2].map(() => 120 * random() - 10);
    const radius = 2 + 10 * random();
    const all = Array.from({ length: 3000 }, (_, i) => ({
      i,
      d: (points[3 * i] - x) ** 2 + (points[3 * i + 1] - y) ** 2 + (points[3 * i + 2] - z) ** 2,
    }));
    const inside = all.filter((a) => a.d <= radius * radius);
    const best = inside.sort((a, b) => a.d - b.d)[0];
    expect(grid.nearest(x, y, z, radius)).toBe(best ? best.i : -1);
    const n = grid.within(x, y, z, radius, ids);
    expect([...ids.subarray(0, n)].sort((a, b) => a - b)).toEqual(inside.map((a) => a.i).sort((a, b) => a - b));
  }
});

test('a grid over nothing finds nothing', () => {
  expect(new PointGrid(new Float32Array(0), 1).nearest(0, 0, 0, 5)).toBe(-1);
});

test('cells get one slot each, also after growing and with negative coordinates', () => {
  const table = new VoxelTable(4);
  const known = new Map<string, number>();
  for (let i = 0; i < 20_000; i++) {
    const c = [0, 1, 2].map(() => Math.floor(4000 * random()) - 2000);
    const slot = table.insert(c[0], c[1], c[2]);
    const before = known.get(c.join());
    if (before === undefined) known.set(c.join(), slot);
    else expect(slot).toBe(before);
    expect(table.find(c[0], c[1], c[2])).toBe(slot);
  }
  expect(table.size).toBe(known.size);
  expect(table.find(99999, 1, 1)).toBe(-1);
});

test('the closest point on a sphere lies towards its middle', () => {
  const bvh = new TriangleBvh(meshOf(sphere(20), 20, 1));
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  for (let q = 0; q < 100; q++) {
    const p = [0, 1, 2].map(() => 60 * random() - 30);
    const r = Math.hypot(...p);
    if (r < 2) continue;
    expect(bvh.closest(p[0], p[1], p[2], 100, hit)).toBe(true);
    expect(Math.abs(Math.sqrt(hit.squaredDistance) - Math.abs(r - 20))).toBeLessThan(0.05);
  }
  expect(bvh.closest(0, 0, 200, 10, hit)).toBe(false);
});

test('sets join', () => {
  const sets = new DisjointSets(5);
  expect(sets.union(0, 1)).toBe(true);
  expect(sets.union(1, 0)).toBe(false);
  sets.union(3, 1);
  expect(sets.sizeOf(0)).toBe(3);
  expect(sets.find(2)).not.toBe(sets.find(0));
});

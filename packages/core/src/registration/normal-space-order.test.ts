import type { PointCloud } from '../geometry/point-cloud.js';
import { createRandom } from '../math/random.js';
import { normalSpaceOrder } from './normal-space-order.js';

/** A part that is nearly all one face: 970 points look up, 15 to each of two sides. */
function part(): PointCloud {
  const normals = Array.from({ length: 1000 }, (_, i) => (i < 970 ? [0, 0, 1] : i < 985 ? [1, 0, 0] : [0, 1, 0]));
  return { positions: new Float32Array(3000), normals: Float32Array.from(normals.flat()) };
}

const sure = new Float32Array(1000).fill(1);

function shuffled(): Uint32Array {
  const random = createRandom(2);
  const order = Uint32Array.from({ length: 1000 }, (_, i) => i);
  for (let i = 999; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [order[i], order[j]] = [order[j], order[i]];
  }
  return order;
}

test('the few points on small faces come as early as those on the large one', () => {
  const order = normalSpaceOrder(part(), shuffled(), sure);
  const first = order.slice(0, 45);
  expect(first.filter((i) => i >= 970 && i < 985)).toHaveLength(15);
  expect(first.filter((i) => i >= 985)).toHaveLength(15);
});

test('every point comes once, in the given order within a direction', () => {
  const given = shuffled();
  const order = normalSpaceOrder(part(), given, sure);
  expect(Array.from(order).sort((a, b) => a - b)).toEqual(Array.from({ length: 1000 }, (_, i) => i));
  const up = (list: Uint32Array): number[] => Array.from(list).filter((i) => i < 970);
  expect(up(order)).toEqual(up(given));
});

test('points that are hardly trusted come last', () => {
  const trust = sure.map((v, i) => (i >= 980 && i < 990 ? 0.1 : v));
  const order = normalSpaceOrder(part(), shuffled(), trust);
  expect(Array.from(order.slice(990)).sort()).toEqual(Array.from({ length: 10 }, (_, i) => 980 + i));
});

test('normals that look nearly alike count as one direction, and a point without one has its place', () => {
  const normals = Float32Array.from([0, 0, 1, 0.05, 0.02, 0.99, 0, 0, -1, 0, 0, 0]);
  const order = normalSpaceOrder({ positions: new Float32Array(12), normals }, new Uint32Array([0, 1, 2, 3]), sure);
  expect(Array.from(order).sort()).toEqual([0, 1, 2, 3]);
  expect(Array.from(order).indexOf(2)).toBeLessThan(Array.from(order).indexOf(1));
});

import { box, meshOf, sphere } from '../../test/shapes.js';
import type { TriangleMesh } from '../geometry/index.js';
import { createRandom } from '../math/index.js';
import { findCrossings } from './crossings.js';

const joined = (a: TriangleMesh, b: TriangleMesh, shift: [number, number, number]): TriangleMesh => ({
  positions: Float32Array.from([...a.positions, ...b.positions.map((x, i) => x + shift[i % 3])]),
  indices: Uint32Array.from([...a.indices, ...b.indices.map((v) => v + a.positions.length / 3)]),
});

test('a closed surface does not cross itself, apart or inside another neither', () => {
  const ball = meshOf(sphere(20), 20, 2);
  expect(findCrossings(ball)).toHaveLength(0);
  expect(findCrossings(joined(ball, meshOf(sphere(8), 8, 1), [0, 0, 0]))).toHaveLength(0);
  expect(findCrossings(joined(ball, ball, [45, 0, 0]))).toHaveLength(0);
});

test('two bodies that cut each other cross along a closed line', () => {
  const pairs = findCrossings(joined(meshOf(sphere(20), 20, 2), meshOf(box(10, 10, 10), 10, 2), [17, 1, 2]));
  expect(pairs.length / 2).toBeGreaterThan(30);
});

const triangles = (...corners: number[][]): TriangleMesh => ({
  positions: Float32Array.from(corners.flat()),
  indices: Uint32Array.from(corners.map((_, i) => i)),
});

test('touching counts, lying beside does not', () => {
  const flat = [
    [0, 0, 0],
    [4, 0, 0],
    [0, 4, 0],
  ];
  const at = (...more: number[][]): number => findCrossings(triangles(...flat, ...more)).length / 2;
  expect(at([1, 1, -1], [1, 1, 1], [9, 9, 0])).toBe(1);
  // A corner on the face, a corner on a corner, an edge along an edge.
  expect(at([1, 1, 0], [1, 1, 1], [1, 2, 1])).toBe(1);
  expect(at([4, 0, 0], [5, 0, 1], [5, 1, 1])).toBe(1);
  expect(at([1, 0, 0], [3, 0, 0], [2, -1, 1])).toBe(1);
  // In the same plane: apart, on the same line apart, inside.
  expect(at([5, 5, 0], [6, 5, 0], [5, 6, 0])).toBe(0);
  expect(at([5, 0, 0], [7, 0, 0], [6, -1, 0])).toBe(0);
  expect(at([0.5, 0.5, 0], [1, 0.5, 0], [0.5, 1, 0])).toBe(1);
  expect(at([0, 0, 1], [4, 0, 1], [0, 4, 1])).toBe(0);
});

test('neighbours cross only where they fold onto or through each other', () => {
  const mesh = (indices: number[]): TriangleMesh => ({
    positions: Float32Array.from([0, 0, 0, 4, 0, 0, 0, 4, 0, 4, 4, 0, 1, 1, 0, 1, 1, 1, 3, 3, -1, 4, 1, 2]),
    indices: Uint32Array.from(indices),
  });
  expect(findCrossings(mesh([0, 1, 2, 2, 1, 3]))).toHaveLength(0);
  expect(findCrossings(mesh([0, 1, 2, 2, 1, 4]))).toHaveLength(2);
  // One corner shared: away from the face, and through it.
  expect(findCrossings(mesh([0, 1, 2, 0, 5, 6]))).toHaveLength(2);
  // No corner shared: an edge that touches the face's rim, and none.
  expect(findCrossings(mesh([0, 1, 2, 3, 5, 6]))).toHaveLength(2);
  expect(findCrossings(mesh([0, 1, 2, 3, 5, 7]))).toHaveLength(0);
});

test('random triangles: the same pairs as the parting axes of convex bodies tell', () => {
  // Small whole coordinates make touching common and the check exact in doubles.
  const random = createRandom(4);
  const corners = Array.from({ length: 240 }, () => [0, 1, 2].map(() => Math.floor(7 * random())));
  const mesh = triangles(...corners);
  const found = new Set<string>();
  const pairs = findCrossings(mesh);
  for (let i = 0; i < pairs.length; i += 2) found.add(`${pairs[i]},${pairs[i + 1]}`);
  const sub = (a: number[], b: number[]): number[] => a.map((x, k) => x - b[k]);
  const cross = (a: number[], b: number[]): number[] => [
    a[1] * b[2] - a[2] * b[1],
    a[2] * b[0] - a[0] * b[2],
    a[0] * b[1] - a[1] * b[0],
  ];
  const dot = (a: number[], b: number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  for (let t = 0; t < 80; t++) {
    for (let u = t + 1; u < 80; u++) {
      const [s, r] = [corners.slice(3 * t, 3 * t + 3), corners.slice(3 * u, 3 * u + 3)];
      // Convex bodies are apart exactly if some axis of these parts them (S. Gottschalk et al., 1996, OBBTree).
      const [ns, nr] = [s, r].map((x) => cross(sub(x[1], x[0]), sub(x[2], x[0])));
      if (dot(ns, ns) === 0 || dot(nr, nr) === 0) continue;
      const edges = (x: number[][]): number[][] => [sub(x[1], x[0]), sub(x[2], x[1]), sub(x[0], x[2])];
      const axes = [ns, nr, ...edges(s).flatMap((e) => edges(r).map((f) => cross(e, f)))];
      axes.push(...edges(s).map((e) => cross(ns, e)), ...edges(r).map((e) => cross(nr, e)));
      const apart = axes.some((axis) => {
        const [a, b] = [s, r].map((x) => x.map((c) => dot(axis, c)));
        return Math.max(...a) < Math.min(...b) || Math.max(...b) < Math.min(...a);
      });
      expect([t, u, found.has(`${t},${u}`)]).toEqual([t, u, !apart]);
    }
  }
});

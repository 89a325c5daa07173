import bunny from 'bunny';
import { createRandom, gaussian } from '../math/random.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { createRunContext } from '../runtime/index.js';
import { box, lumps, meshOf } from '../../test/shapes.js';
import { findShapes, type FoundShape } from './index.js';

const find = (mesh: TriangleMesh, most = 30): FoundShape[] => findShapes(mesh, most, createRunContext({ seed: 1 }));
const kindsOf = (shapes: FoundShape[]): string[] => shapes.map((s) => s.fit.shape.kind).sort();
function noisy(mesh: TriangleMesh, noise: number): TriangleMesh {
  const random = createRandom(7);
  return { positions: mesh.positions.map((v) => v + noise * gaussian(random)), indices: mesh.indices };
}

/** A plate of 60 × 40 × 12 with a boss of Ø 24 on it, 14 high, and a bore of Ø 10 through both. */
const part = meshOf(
  (x, y, z) =>
    Math.max(
      Math.min(box(60, 40, 12)(x, y, z), Math.max(Math.hypot(x, y) - 12, Math.abs(z - 10) - 10)),
      5 - Math.hypot(x, y),
    ),
  32,
  0.8,
);

test.each([0, 0.02])('a machined part is its planes, its boss and its bore, at noise %f', (noise) => {
  const shapes = find(noise > 0 ? noisy(part, noise) : part);
  expect(kindsOf(shapes)).toEqual(['cylinder', 'cylinder', ...Array<string>(7).fill('plane')]);
  // Sizes as drawn.
  const [boss, bore] = shapes.filter((s) => s.fit.shape.kind === 'cylinder').map((s) => s.fit.shape.radius);
  expect([boss, bore].sort((a, b) => b - a)[0]).toBeCloseTo(12, 1);
  expect([boss, bore].sort((a, b) => b - a)[1]).toBeCloseTo(5, 1);
  const bottom = shapes[0];
  expect(bottom.fit.shape.kind).toBe('plane');
  expect(bottom.area / (60 * 40 - Math.PI * 25)).toBeGreaterThan(0.93);
});

test('balls that run into each other are told apart, each with its radius', () => {
  const radii = find(meshOf(lumps, 48, 1.4)).map((s) => [s.fit.shape.kind, Math.round(s.fit.shape.radius)]);
  for (const r of [26, 14, 11, 12, 13]) expect(radii).toContainEqual(['sphere', r]);
});

test('a free form has next to none: the bunny (Stanford, package "bunny")', () => {
  const mesh = { positions: Float32Array.from(bunny.positions.flat()), indices: Uint32Array.from(bunny.cells.flat()) };
  const shapes = find(mesh);
  const total = shapes.reduce((sum, s) => sum + s.area, 0);
  expect(shapes.length).toBeLessThan(3);
  expect(total).toBeLessThan(0.1 * 600);
});

test('nothing is found in nothing, and no more than is asked for', () => {
  expect(find({ positions: new Float32Array(0), indices: new Uint32Array(0) })).toEqual([]);
  expect(find(part, 3)).toHaveLength(3);
});

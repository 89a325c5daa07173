import { lumps, meshOf, sphere, torus } from '../../test/shapes.js';
import type { TriangleMesh } from '../geometry/index.js';
import { createRunContext } from '../runtime/index.js';
import { turningSymmetry } from './index.js';

const found = (mesh: TriangleMesh) => turningSymmetry(mesh, createRunContext({ seed: 3 }));
/** A disc with so many lobes. */
const lobed = (lobes: number): TriangleMesh =>
  meshOf(
    (x, y, z) =>
      Math.max(Math.hypot(x, y) - 24 - 5 * Math.cos(lobes * Math.atan2(y, x)), Math.abs(z) - 6) / (1 + lobes / 8),
    32,
    1,
  );
/** Painted red where the place is so far round (0–1), else grey. */
const painted = (mesh: TriangleMesh, red: (around: number) => boolean): TriangleMesh => {
  const { positions: p } = mesh;
  const colors = new Uint8Array(p.length);
  for (let i = 0; i < p.length; i += 3)
    colors.set(red((Math.atan2(p[i + 1], p[i]) / (2 * Math.PI) + 1) % 1) ? [190, 40, 30] : [150, 150, 150], i);
  return { ...mesh, colors };
};

test.each([3, 7, 18])('a disc with %i lobes looks the same after so many turns', (lobes) => {
  const { shape, look, axis } = found(lobed(lobes));
  expect([shape, look]).toEqual([lobes, lobes]);
  expect(Math.hypot(...axis)).toBeLessThan(1);
});

test('a body of revolution stands every turn, a lumpy one none', () => {
  expect(found(meshOf(torus(20, 7), 27, 1.2)).shape).toBe(Infinity);
  expect(found(meshOf(sphere(15), 15, 1)).shape).toBe(Infinity);
  expect(found(meshOf(lumps, 48, 1.5)).shape).toBe(1);
});

test('colours tell what the shape does not: one lobe painted, every second one', () => {
  const disc = lobed(6);
  expect(found(painted(disc, (a) => a < 1 / 12 || a > 11 / 12))).toMatchObject({ shape: 6, look: 1 });
  expect(found(painted(disc, (a) => Math.round(6 * a) % 2 === 0))).toMatchObject({ shape: 6, look: 3 });
  expect(found(painted(disc, () => true))).toMatchObject({ shape: 6, look: 6 });
});

test('it follows the object: moved away and ten times the size it has the same symmetry', () => {
  const disc = lobed(5);
  const positions = disc.positions.map((v, i) => 10 * v + [400, -90, 77][i % 3]);
  const { shape, axis } = found({ ...disc, positions });
  expect(shape).toBe(5);
  expect(axis[0]).toBeCloseTo(400, -1);
  expect(axis[1]).toBeCloseTo(-90, -1);
});

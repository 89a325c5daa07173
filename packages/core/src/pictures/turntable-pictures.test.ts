import { meshOf, sphere } from '../../test/shapes.js';
import { renderTurntable } from './index.js';

test('a turntable shows the object on its ground', () => {
  const strip = renderTurntable(meshOf(sphere(20), 20, 2), 40, 3, [1, 2, 3]);
  expect(strip.width).toBe(120);
  expect(Array.from(strip.data.subarray(0, 3))).toEqual([1, 2, 3]);
  expect(strip.data[3 * (20 * 120 + 20)]).toBeGreaterThan(60);
});

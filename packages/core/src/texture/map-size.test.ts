import { meshOf, sphere } from '../../test/shapes.js';
import { identity } from '../math/index.js';
import type { ColorFrame } from './frame-views.js';
import { mapSizeFor } from './map-size.js';

/** A ball of 20 mm seen from 300 mm with a focal length in pixels. */
const ball = meshOf(sphere(20), 20, 1);
const seenWith = (fx: number): ColorFrame[] => {
  const camera = { fx, fy: fx, cx: 0, cy: 0, width: 10, height: 10 };
  const sensorFromPiece = identity();
  sensorFromPiece[14] = 300;
  const color = { camera, image: { width: 10, height: 10, data: new Uint8Array(300) } };
  return [{ picture: { scan: 's', frame: 'f' }, room: 0, frame: { color } as ColorFrame['frame'], sensorFromPiece }];
};

test('the map has at least a texel for each pixel on the surface, and less than ten times as many', () => {
  for (const fx of [2000, 4000, 8000]) {
    const size = mapSizeFor(ball, seenWith(fx));
    // The ball's area is 4 π 20² mm², its front lies 280 mm away.
    const pixels = 4 * Math.PI * 20 ** 2 * (fx / 280) ** 2;
    expect(0.6 * size ** 2).toBeGreaterThan(pixels);
    expect(0.6 * size ** 2).toBeLessThan(10 * pixels);
  }
});

test('maps are powers of two between 512 and 4096', () => {
  expect(mapSizeFor(ball, seenWith(100))).toBe(512);
  expect(mapSizeFor(ball, seenWith(1e6))).toBe(4096);
});

test('without pictures it follows from the vertices', () => {
  const fine = meshOf(sphere(20), 100, 1);
  expect(mapSizeFor(ball, [])).toBe(512);
  expect(mapSizeFor(fine, [])).toBeGreaterThanOrEqual(mapSizeFor(ball, []));
});

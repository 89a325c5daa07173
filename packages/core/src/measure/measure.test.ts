import { createRandom } from '../math/random.js';
import { transformPoints, fromAxisAngle, fromTranslation, multiply } from '../math/mat4.js';
import { createRunContext } from '../runtime/run-context.js';
import { BoxGeometry, SphereGeometry, TorusGeometry, type BufferGeometry } from 'three';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { enclosedVolume, measureDeviation, surfaceArea } from './index.js';

/** A solid made by three.js, turned and moved: area and volume must not mind. */
function solid(geometry: BufferGeometry): TriangleMesh {
  const away = multiply(fromTranslation(40, -10, 25), fromAxisAngle([1, 2, 3], 0.8));
  return {
    positions: transformPoints(away, Float32Array.from(geometry.getAttribute('position').array)),
    indices: Uint32Array.from(geometry.getIndex()!.array),
  };
}

// Formulas of solid geometry: I. Bronshtein, K. Semendyayev, Handbook of Mathematics.

test('a box has the area and volume of its edges', () => {
  const box = solid(new BoxGeometry(20, 30, 50, 2, 3, 4));
  expect(surfaceArea(box)).toBeCloseTo(2 * (20 * 30 + 30 * 50 + 50 * 20), 1);
  expect(enclosedVolume(box)).toBeCloseTo(20 * 30 * 50, 0);
});

test('a ball and a ring come close to their formulas, from below', () => {
  const ball = solid(new SphereGeometry(30, 256, 128));
  const ring = solid(new TorusGeometry(30, 8, 128, 256));
  const shares = [
    surfaceArea(ball) / (4 * Math.PI * 30 ** 2),
    enclosedVolume(ball) / ((4 / 3) * Math.PI * 30 ** 3),
    surfaceArea(ring) / (4 * Math.PI ** 2 * 30 * 8),
    enclosedVolume(ring) / (2 * Math.PI ** 2 * 30 * 8 ** 2),
  ];
  for (const share of shares) {
    // A polygon of 128 sides in a circle has 1 - 0.0004 of its area, one of 256 sides 1 - 0.0001.
    expect(share).toBeGreaterThan(1 - 0.0006);
    expect(share).toBeLessThan(1);
  }
});

test('a solid turned inside out encloses less than nothing', () => {
  const box = solid(new BoxGeometry(10, 10, 10));
  const inside = { ...box, indices: box.indices.toReversed() };
  expect(enclosedVolume(inside)).toBeCloseTo(-enclosedVolume(box), 3);
});

test('distances from a ball are those to its middle less its radius; what lies too far off has none', () => {
  const reference = {
    positions: Float32Array.from(new SphereGeometry(30, 256, 128).getAttribute('position').array),
    indices: Uint32Array.from(new SphereGeometry(30, 256, 128).getIndex()!.array),
  };
  const random = createRandom(4);
  const radii = Array.from({ length: 500 }, (_, i) => (i < 400 ? 29 + 2 * random() : 50));
  const points = Float32Array.from(
    radii.flatMap((r) => {
      const z = 2 * random() - 1;
      const a = 2 * Math.PI * random();
      const s = Math.sqrt(1 - z * z);
      return [r * s * Math.cos(a), r * s * Math.sin(a), r * z];
    }),
  );
  const d = measureDeviation(points, reference, 5, createRunContext());
  expect(d.measured).toBe(400);
  const off = radii.slice(0, 400).map((r) => r - 30);
  // The facets lie up to r (1 - cos(π / 128)) = 0.01 mm within the ball.
  off.forEach((v, i) => expect(Math.abs(d.distances[i] - v)).toBeLessThan(0.011));
  for (let i = 400; i < 500; i++) expect(d.distances[i]).toBeNaN();
  const mean = off.reduce((s, v) => s + v, 0) / 400;
  expect(Math.abs(d.mean - mean)).toBeLessThan(0.011);
  expect(d.rms).toBeCloseTo(Math.sqrt(off.reduce((s, v) => s + v * v, 0) / 400), 1);
  expect(d.max).toBeGreaterThan(d.p95);
  expect(off.filter((v) => Math.abs(v) <= d.p95).length / 400).toBeCloseTo(0.95, 1);
});

test('no points have no distances and no spread', () => {
  const box = solid(new BoxGeometry(1, 1, 1));
  const d = measureDeviation(new Float32Array(0), box, 1, createRunContext());
  expect([d.measured, d.rms, d.mean, d.p95, d.max]).toEqual([0, 0, 0, 0, 0]);
});

import { vertexOf } from './parabola.js';

const OFFSETS = [-2, -1, 0, 1, 2];

test('the top of a parabola is found exactly', () => {
  for (const top of [-1.7, -0.3, 0, 0.9]) {
    expect(vertexOf(OFFSETS.map((t) => [t, 5 - 0.4 * (t - top) ** 2] as const))).toBeCloseTo(top, 12);
  }
});

test('a top beyond the points is where they end', () => {
  expect(vertexOf(OFFSETS.map((t) => [t, -((t - 7) ** 2)] as const))).toBe(2);
});

test('a valley or a plain has no top: nothing moves', () => {
  expect(vertexOf(OFFSETS.map((t) => [t, t * t + t] as const))).toBe(0);
  expect(vertexOf(OFFSETS.map((t) => [t, 3] as const))).toBe(0);
});

import { cieLab, deltaE76 } from './index.js';

// White and black by definition; the primaries are the usual rounded values for sRGB under D65, from memory.
test.each([
  ['white', [255, 255, 255], [100, 0, 0]],
  ['black', [0, 0, 0], [0, 0, 0]],
  ['red', [255, 0, 0], [53.24, 80.09, 67.2]],
  ['green', [0, 255, 0], [87.73, -86.18, 83.18]],
  ['blue', [0, 0, 255], [32.3, 79.19, -107.86]],
])('%s', (_name, srgb, lab) => {
  cieLab(srgb).forEach((v, k) => expect(Math.abs(v - lab[k])).toBeLessThan(0.06));
});

test('the difference of 1976 is the distance', () => {
  expect(deltaE76([255, 255, 255], [0, 0, 0])).toBeCloseTo(100, 2);
  expect(deltaE76([10, 200, 30], [10, 200, 30])).toBe(0);
});

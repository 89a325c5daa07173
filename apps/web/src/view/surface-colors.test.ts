import { COUNT_TINTS, errorColors, errorRange, inventedColors, scanCountColors } from './surface-colors';

const at = (colors: Uint8Array, i: number): number[] => Array.from(colors.subarray(3 * i, 3 * i + 3));
const light = (c: number[]): number => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

test('measured and invented differ in lightness, not in hue alone', () => {
  const colors = inventedColors([0, 1]);
  expect(Math.abs(light(at(colors, 0)) - light(at(colors, 1)))).toBeGreaterThan(20);
});

test('more scans are lighter, five and more look the same', () => {
  const colors = scanCountColors([0, 1, 2, 3, 4, 5, 17]);
  for (let n = 2; n <= 5; n++) expect(light(at(colors, n))).toBeGreaterThan(light(at(colors, n - 1)));
  expect(at(colors, 6)).toEqual(at(colors, 5));
  expect(COUNT_TINTS).toHaveLength(6);
});

test('errors run along the scale by their logarithm; outside it they keep its ends, unknown is grey', () => {
  const colors = errorColors([0.01, 0.0316, 0.1, 5, 0.001, NaN], [0.01, 0.1]);
  expect(light(at(colors, 1))).toBeGreaterThan(light(at(colors, 0)));
  expect(light(at(colors, 2))).toBeGreaterThan(light(at(colors, 1)));
  expect(at(colors, 3)).toEqual(at(colors, 2));
  expect(at(colors, 4)).toEqual(at(colors, 0));
  for (const known of [0, 1, 2]) expect(at(colors, 5)).not.toEqual(at(colors, known));
});

test('the scale spans the middle nine tenths of what is known', () => {
  const errors = Float32Array.from({ length: 101 }, (_, i) => (i === 100 ? NaN : (i + 1) / 1000));
  const [low, high] = errorRange(errors)!;
  expect(low).toBeCloseTo(0.005, 3);
  expect(high).toBeCloseTo(0.095, 3);
  expect(errorRange(Float32Array.of(NaN, NaN))).toBeUndefined();
});

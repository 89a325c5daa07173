import { hsl, rgb } from 'd3';
import { deviationColors, deviationTint, histogramOf, WITHIN_TINT } from './deviation-scale';

test('within the tolerance there is one tint; beyond it, blue is inwards and orange outwards, deeper the further off', () => {
  expect([deviationTint(0.2, 0.2), deviationTint(-0.19, 0.2), deviationTint(0, 0.2)]).toEqual([
    WITHIN_TINT,
    WITHIN_TINT,
    WITHIN_TINT,
  ]);
  const [into, out] = [rgb(deviationTint(-0.6, 0.2)), rgb(deviationTint(0.6, 0.2))];
  expect(into.b).toBeGreaterThan(into.r);
  expect(out.r).toBeGreaterThan(out.b);
  for (const side of [-1, 1]) {
    const light = [0.25, 0.4, 0.6, 0.8, 1].map((d) => hsl(deviationTint(side * d, 0.2)).l);
    light.slice(1).forEach((l, k) => expect(l).toBeLessThan(light[k]));
  }
});

test('invented places and those with nothing near are grey, whatever their deviation', () => {
  const values = Float32Array.of(0, 0, NaN, 5);
  const colors = deviationColors(values, 0.2, Uint8Array.of(0, 1, 0, 1));
  const of = (v: number): string => colors.subarray(3 * v, 3 * v + 3).join();
  expect(of(1)).toBe(of(3));
  expect(of(0)).not.toBe(of(1));
  expect(of(2)).not.toBe(of(0));
  expect(deviationColors(values, 0.2, undefined).subarray(0, 6).join()).toBe(`${of(0)},${of(0)}`);
});

test('a histogram counts what was measured, and at its ends all beyond', () => {
  const values = Float32Array.of(-50, -0.01, 0.01, 0.4, 50, 50, NaN, 0);
  const bars = histogramOf(values, 0.2, Uint8Array.of(0, 0, 0, 0, 0, 0, 0, 1));
  expect(bars.reduce((sum, b) => sum + b.count, 0)).toBe(6);
  expect([bars[0].count, bars[bars.length - 1].count]).toEqual([1, 2]);
  expect([bars[0].from, bars[bars.length - 1].to].map((v) => Math.round(1000 * v))).toEqual([-1000, 1000]);
});

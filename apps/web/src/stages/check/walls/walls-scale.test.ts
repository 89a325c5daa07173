import { hsl } from 'd3';
import { SCALE_WALLS, wallBars, wallColors, wallTint } from './walls-scale';

test('the border between thin and thick is told by lightness, and the thinner the darker', () => {
  const light = (t: number): number => hsl(wallTint(t, 2)).l;
  expect(light(2) - light(1.99)).toBeGreaterThan(0.2);
  for (let t = 0.2; t < 2; t += 0.2) expect(light(t)).toBeGreaterThan(light(t - 0.2));
});

test('each vertex has the colour of its wall; without one it is grey', () => {
  const colors = wallColors(Float32Array.of(0.5, 1.99, 2.01, 99, NaN), 2);
  const of = (v: number): number[] => Array.from(colors.subarray(3 * v, 3 * v + 3));
  // Orange has more red than blue; what is thick has more blue.
  expect(of(0)[0]).toBeGreaterThan(of(0)[2]);
  expect(of(1)[0]).toBeGreaterThan(of(1)[2] + 60);
  expect(Math.abs(of(2)[0] - of(2)[2])).toBeLessThan(60);
  expect(of(3)[2]).toBeGreaterThan(of(3)[0]);
  expect(Math.max(...of(4)) - Math.min(...of(4))).toBeLessThan(40);
});

test('bars count what there is; what is thicker than the scale is in the last', () => {
  const bars = wallBars(Float32Array.of(0.1, 0.1, 1, 400, NaN), 1, 8);
  expect(bars.map((b) => b.count)).toEqual([2, 0, 1, 0, 0, 0, 0, 1]);
  expect(SCALE_WALLS).toBe(4);
});

import { GrowingWait } from './growing-wait.js';

test('three wrong tries are free, then each doubles the wait, up to five minutes; a right one begins anew', () => {
  let now = 0;
  const waits = new GrowingWait(3, () => now);
  const seen: number[] = [];
  for (let k = 0; k < 13; k++) {
    waits.failed('a');
    seen.push(waits.of('a'));
    now += 1000 * waits.of('a');
  }
  expect(seen).toEqual([0, 0, 1, 2, 4, 8, 16, 32, 64, 128, 256, 300, 300]);
  expect(waits.of('b')).toBe(0);
  waits.failed('a');
  waits.succeeded('a');
  expect(waits.of('a')).toBe(0);
});

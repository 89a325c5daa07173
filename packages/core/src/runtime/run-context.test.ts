import { createRunContext, GeometryError, sharedCancelFlag } from './index.js';

test('progress never goes back and parts share it out', () => {
  const seen: number[] = [];
  const ctx = createRunContext({ onProgress: (f) => seen.push(f) });
  ctx.part(0, 0.5).checkpoint(0.5);
  ctx.part(0, 0.5).checkpoint(0.2);
  ctx.part(0.5, 1).part(0, 0.5).checkpoint(1);
  expect(seen[0]).toBeCloseTo(0.25);
  expect(seen[seen.length - 1]).toBeCloseTo(0.75);
  expect([...seen].sort((a, b) => a - b)).toEqual(seen);
});

test('a raised flag stops at the next checkpoint', () => {
  const flag = sharedCancelFlag();
  const ctx = createRunContext({ cancelFlag: flag });
  ctx.checkpoint(0.1);
  Atomics.store(flag, 0, 1);
  expect(() => ctx.checkpoint(0.2)).toThrow(expect.objectContaining({ code: 'cancelled' }) as GeometryError);
});

test('random numbers follow the seed', () => {
  expect(createRunContext({ seed: 9 }).random()).toBe(createRunContext({ seed: 9 }).random());
});

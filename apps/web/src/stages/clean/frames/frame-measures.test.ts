import type { FrameQuality } from '@amber-knit/core/frames';
import { axisTop, FRAME_MEASURES, knownMeasures, worstFirst } from './frame-measures';

const quality = (residual: number, valid: number): FrameQuality => ({
  residual,
  valid,
  paint: NaN,
  sharpness: 1,
  motion: 0,
  drift: NaN,
});
const measure = (key: string) => FRAME_MEASURES.find((m) => m.key === key)!;

test('the worst come first, by what bad means for the measure; the unknown last', () => {
  const qualities = [quality(0.1, 0.5), quality(2, 0.9), quality(NaN, 0.1), undefined];
  expect(worstFirst(qualities, measure('residual'))).toEqual([1, 0, 2, 3]);
  expect(worstFirst(qualities, measure('valid'))).toEqual([2, 0, 1, 3]);
});

test('only measures that say something of some frame are offered', () => {
  const known = (...q: FrameQuality[]): string[] => knownMeasures(q).map((m) => m.key);
  expect(known(quality(0.1, 0.5))).toEqual(['residual', 'sharpness', 'valid', 'motion']);
  expect(known(quality(0.1, 0.5), { ...quality(NaN, 1), drift: 0.3 })).toContain('drift');
});

test('a single value far off does not press the others flat', () => {
  const values = [...Array.from({ length: 20 }, (_, i) => 0.1 + 0.001 * i), 50];
  expect(axisTop(values)).toBeLessThan(1);
  expect(axisTop([0.2, 0.3])).toBe(0.3);
  expect(axisTop([NaN])).toBe(1);
});

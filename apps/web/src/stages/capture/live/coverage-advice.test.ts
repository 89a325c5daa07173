import { coverageAdvice, coveredShare } from './coverage-advice';

const dial = (fill: (sector: number, band: number) => boolean, sector = 0) => {
  const counts = new Uint32Array(24 * 4);
  for (let b = 0; b < 4; b++) for (let s = 0; s < 24; s++) counts[24 * b + s] = fill(s, b) ? 1 : 0;
  return { sectors: 24, bands: 4, counts, sector, band: 1 };
};

test('an untouched dial asks to begin, a full one is done', () => {
  expect(coveredShare(dial(() => false))).toBe(0);
  expect(coverageAdvice(dial(() => true))).toBe('All sides of this setup are seen.');
});

test('a gap is told from where the scanner is, the short way round', () => {
  // Everything but five sectors about 90° to the right.
  const gap = (s: number): boolean => s < 4 || s > 8;
  expect(coverageAdvice(dial((s, b) => b !== 1 || gap(s), 0))).toBe('Next: 90° to the right, a little above.');
  expect(coverageAdvice(dial((s, b) => b !== 1 || gap(s), 12))).toBe('Next: 90° to the left, a little above.');
  expect(coverageAdvice(dial((_s, b) => b !== 3, 0))).toBe('Next: from right above.');
});

test('a gap across the start of the ring is one gap', () => {
  expect(coverageAdvice(dial((s, b) => b !== 0 || (s > 2 && s < 21), 12))).toMatch(
    /^Next: 180° to the (left|right), level/,
  );
});

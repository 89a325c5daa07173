import { fitPairs } from '@amber-knit/core/registration';
import { warningText } from './pair-words';

test('every warning says what to do', () => {
  const warnings = [
    { kind: 'few', missing: 1 },
    { kind: 'few', missing: 3 },
    { kind: 'line' },
    { kind: 'plane' },
    { kind: 'close', spread: 4.2 },
    { kind: 'pair', index: 2, error: 7.25 },
    { kind: 'scale', factor: 25.4 },
  ] as const;
  const words = warnings.map(warningText);
  expect(new Set(words).size).toBe(words.length);
  expect(words[5]).toMatch(/^Pair 3 disagrees .* 7\.3 mm/);
  expect(words[6]).toMatch(/25\.40/);
  expect(fitPairs([], 100).warnings.map(warningText)).toEqual(['3 more pairs are needed.']);
});

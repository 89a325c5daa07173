import { figureText, mm, seconds, shortCount, words } from './format';

test('counts are shortened, lengths keep the decimals they deserve', () => {
  expect([999, 1000, 471_378, 1_420_000].map(shortCount)).toEqual(['999', '1k', '471k', '1.42M']);
  expect([0.0451, 1.049, 157.24].map(mm)).toEqual(['0.045 mm', '1.05 mm', '157.2 mm']);
  expect([900, 61_000].map(seconds)).toEqual(['0.9 s', '1 min 1 s']);
});

test('figures carry the unit that follows from their name', () => {
  expect(figureText('rms', 0.0451)).toBe('0.045 mm');
  expect(figureText('area', 88_070)).toBe('880.7 cm²');
  expect(figureText('volume', 787_500)).toBe('787.5 cm³');
  expect(figureText('inventedRatio', 0.154)).toBe('15.4 %');
  expect(figureText('triangles', 132_882)).toBe('132,882');
  expect(figureText('watertight', true)).toBe('yes');
  expect(figureText('reference', '')).toBe('–');
});

test('names of figures become words', () => {
  expect(words('repairedTriangles')).toBe('repaired triangles');
  expect(words('worstRms')).toBe('worst RMS');
  expect(words('stretch95')).toBe('stretch 95 %');
});

import { measuredText } from './known-words';

const pick = { point: [0, 0, 0] as [number, number, number], snapped: false };

test('a place says by how many scans it was measured, which saw it best, and how sure it is', () => {
  const known = { scanCount: 5, bestScan: 'Lip side', bestAngle: 12, expectedError: 0.031 };
  expect(measuredText({ ...pick, known })).toBe('measured by 5 scans, best from Lip side at 12°, ± 0.031 mm');
  expect(measuredText({ ...pick, known: { scanCount: 1 } })).toBe('measured by 1 scan');
});

test('where nothing was measured nothing is claimed', () => {
  expect(measuredText({ ...pick, known: { scanCount: 0, expectedError: NaN } })).toBe('');
});

test('a surface that knows no more than what is invented says so', () => {
  expect(measuredText({ ...pick, invented: false })).toBe('measured surface');
  expect(measuredText(pick)).toBe('');
});

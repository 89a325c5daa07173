import { fromTranslation, multiply, turnAbout } from '@amber-knit/core/math';
import type { PlaceView } from '@amber-knit/contracts';
import { agreementRows, motionWords, verdictWords } from './place-words';

const agreement = { overlap: 3.14, contradicted: 0.021, paint: 0.02, marks: 0, marksAgree: 1 };
const place = (paint: number): PlaceView => ({ pieceFromPiece: [], agreement: { ...agreement, paint } });

test('a motion is said in turns and shifts', () => {
  const third = turnAbout({ point: [5, 0, 0], direction: [0, 0, 1] }, (2 * Math.PI) / 3);
  expect(motionWords(Array.from(third))).toBe('turned by 120°');
  expect(motionWords(Array.from(multiply(fromTranslation(0, 0, 12), third)))).toBe('turned by 120°, moved by 12.00 mm');
  expect(motionWords(Array.from(fromTranslation(0, 3, 4)))).toBe('moved by 5.00 mm');
  expect(motionWords(Array.from(fromTranslation(0, 0, 0)))).toBe('where it is now');
});

test('figures carry their units, and a surface without marks says so', () => {
  expect(agreementRows(agreement).map((r) => r.value)).toEqual(['3.1×', '2.1 %', '0.02', 'none']);
  expect(agreementRows({ ...agreement, marks: 40, marksAgree: 0.9 })[3].value).toBe('90 %');
});

test('the verdict tells what the paint can tell', () => {
  expect(verdictWords([place(0.02), place(-0.1)])).toMatch(/too even/);
  expect(verdictWords([place(0.4), place(0.36)])).toMatch(/fit alike in several/);
  expect(verdictWords([place(0.2), place(0.45)])).toMatch(/best in place 1/);
  expect(verdictWords([place(0.45), place(0.2)])).toMatch(/best where it is now/);
});

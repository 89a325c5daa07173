import { MID_TONE, pad, paddingOf } from './padding.js';

test('what is empty takes the value of what is nearest, round by round, and not across the border of the map', () => {
  // A row of a map: something at its left end, nothing elsewhere; the row below begins with nothing.
  const filled = Uint8Array.of(1, 0, 0, 0, 0, 0, 0, 1);
  const data = Uint8Array.of(9, 0, 0, 0, 0, 0, 0, 7);
  pad(data, 1, paddingOf(filled, 4, 1));
  expect([...data]).toEqual([9, 9, 0, 7, 9, 0, 7, 7]);
});

test('what is neither gives nothing: holes inside are filled from inside, not from the gaps around', () => {
  const filled = Uint8Array.of(2, 2, 2, 2, 2, 2, 1, 1, 1, 2, 2, 1, 0, 1, 2, 2, 2, 2, 2, 2);
  const data = Uint8Array.from(filled, (f) => (f === 1 ? 50 : f === 2 ? MID_TONE : 0));
  pad(data, 1, paddingOf(filled, 5, 99));
  expect(data[12]).toBe(50);
  expect(data[0]).toBe(MID_TONE);
});

import { numbersText, placesInList } from './numbers-in-list.js';

test('runs are joined, and read again as they were', () => {
  expect(numbersText([4, 0, 2, 3])).toBe('1, 3-5');
  expect(numbersText([0, 1])).toBe('1, 2');
  expect(numbersText([])).toBe('');
  const many = Array.from({ length: 500 }, (_, i) => 3 * i);
  expect(placesInList(numbersText(many), 1500, 'hole')).toEqual(many);
  expect(placesInList(' 2 - 4 ,7', 9, 'hole')).toEqual([1, 2, 3, 6]);
  expect(placesInList('  ', 9, 'hole')).toBeUndefined();
});

test.each(['0', '10', 'x', '5-3', '1,,2', '1-', '2.5'])('"%s" names no hole of nine', (text) => {
  expect(() => placesInList(text, 9, 'hole')).toThrow(/is no hole of this surface: it has 9, numbered from 1/);
});

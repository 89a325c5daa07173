import { GeometryError } from '@amber-knit/core/runtime';

/** Places in a list, from 0, as a text of numbers from 1: runs are joined, `1, 3-7`. */
export function numbersText(places: Iterable<number>): string {
  const sorted = Array.from(new Set(places)).sort((a, b) => a - b);
  const parts: string[] = [];
  for (let i = 0; i < sorted.length;) {
    let j = i;
    while (sorted[j + 1] === sorted[j] + 1) j++;
    const [from, to] = [sorted[i] + 1, sorted[j] + 1];
    if (j - i > 1) parts.push(`${from}-${to}`);
    else for (let k = i; k <= j; k++) parts.push(String(sorted[k] + 1));
    i = j + 1;
  }
  return parts.join(', ');
}

/**
 * Places in a list of so many from such a text; undefined for an empty one.
 * @param what one of the list in words, such as "hole"
 * @throws GeometryError `invalid-parameter` that names what is not in the list
 */
export function placesInList(text: string, there: number, what: string): number[] | undefined {
  if (text.trim() === '') return undefined;
  return text.split(',').flatMap((part) => {
    const [from, to = from] = part.split('-').map((t) => (t.trim() === '' ? NaN : Number(t)));
    if (!(Number.isInteger(from) && Number.isInteger(to) && from >= 1 && from <= to && to <= there)) {
      throw new GeometryError(
        'invalid-parameter',
        `"${part.trim()}" is no ${what} of this surface: it has ${there}, numbered from 1.`,
      );
    }
    return Array.from({ length: to - from + 1 }, (_, i) => from - 1 + i);
  });
}

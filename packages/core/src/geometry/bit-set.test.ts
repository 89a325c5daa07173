import { createRandom } from '../math/random.js';
import { BitSet } from './bit-set.js';

/** The same numbers in the language's own set, and as bits. */
function twins(size: number, seed: number, share: number): [Set<number>, BitSet] {
  const random = createRandom(seed);
  const plain = new Set<number>();
  const bits = new BitSet(size);
  for (let i = 0; i < size; i++) {
    if (random() >= share) continue;
    plain.add(i);
    bits.add(i);
  }
  return [plain, bits];
}

const sorted = (numbers: Iterable<number>): number[] => [...numbers].sort((a, b) => a - b);

test.each([0, 1, 7, 8, 9, 64, 1003])('a set of %i numbers is what the language makes of it', (size) => {
  const [a, A] = twins(size, 1, 0.5);
  const [b, B] = twins(size, 2, 0.3);
  expect(Array.from(A.toArray())).toEqual(sorted(a));
  expect(A.count()).toBe(a.size);
  expect(Array.from(A.union(B).toArray())).toEqual(sorted(new Set([...a, ...b])));
  expect(Array.from(A.intersection(B).toArray())).toEqual(sorted([...a].filter((i) => b.has(i))));
  expect(Array.from(A.difference(B).toArray())).toEqual(sorted([...a].filter((i) => !b.has(i))));
  for (let i = 0; i < size; i++) expect(A.has(i)).toBe(a.has(i));
});

test('a full set has no spare bits, so that its count and its bytes are those of its numbers', () => {
  for (const size of [0, 1, 8, 13]) {
    const full = BitSet.full(size);
    expect(full.count()).toBe(size);
    expect(full.difference(full).count()).toBe(0);
    const grown = new BitSet(size);
    for (let i = 0; i < size; i++) grown.add(i);
    expect(grown.bytes).toEqual(full.bytes);
  }
});

test('what is taken out of a copy stays in the set', () => {
  const set = BitSet.full(10);
  const copy = set.copy();
  copy.delete(3);
  expect(copy.has(3)).toBe(false);
  expect(set.has(3)).toBe(true);
  expect(Array.from(set.difference(copy).toArray())).toEqual([3]);
});

import { createRandom } from './random.js';
import { IndexedHeap } from './indexed-heap.js';

test('items come in the order of their keys, of equal keys the lower first, whatever was changed before', () => {
  const random = createRandom(5);
  const n = 500;
  const heap = new IndexedHeap(n);
  const keys = new Map<number, number>();
  for (let round = 0; round < 4000; round++) {
    const item = Math.floor(random() * n);
    if (random() < 0.3) {
      heap.remove(item);
      keys.delete(item);
    } else {
      const key = Math.floor(random() * 40);
      heap.set(item, key);
      keys.set(item, key);
    }
    expect(heap.has(item)).toBe(keys.has(item));
  }
  const wanted = [...keys].sort(([a, x], [b, y]) => x - y || a - b).map(([item]) => item);
  const got: number[] = [];
  while (heap.size > 0) got.push(heap.pop());
  expect(got).toEqual(wanted);
  expect(heap.pop()).toBe(-1);
});

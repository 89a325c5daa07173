/** Children of a node: four lie side by side in memory, which makes the heap flat and its steps cheap. */
const WIDE = 4;

/**
 * A heap of items 0 … n − 1, the least key on top, whose keys may change while they are in it. Of equal keys the lower item
 * comes first, so that the order never depends on the history. All changes O(log n); 16 bytes an item.
 * Source: D. Johnson (1975), Priority queues with update and finding minimum spanning trees.
 */
export class IndexedHeap {
  private readonly items: Int32Array;
  /** Keys in the order of `items`. */
  private readonly keys: Float64Array;
  /** Where an item stands; -1 if it is not in the heap. */
  private readonly at: Int32Array;
  size = 0;

  constructor(items: number) {
    this.items = new Int32Array(items);
    this.keys = new Float64Array(items);
    this.at = new Int32Array(items).fill(-1);
  }

  has(item: number): boolean {
    return this.at[item] >= 0;
  }

  /** Takes the item with the least key out; -1 if there is none. */
  pop(): number {
    if (this.size === 0) return -1;
    const top = this.items[0];
    this.remove(top);
    return top;
  }

  /** Puts an item in, or gives it another key. */
  set(item: number, key: number): void {
    const i = this.at[item];
    this.place(i < 0 ? this.size++ : i, item, key);
  }

  remove(item: number): void {
    const i = this.at[item];
    if (i < 0) return;
    this.at[item] = -1;
    const last = --this.size;
    if (i < last) this.place(i, this.items[last], this.keys[last]);
  }

  /** Puts an item where position i is free, or as far above or below it as the order asks. */
  private place(i: number, item: number, key: number): void {
    const { items, keys, at, size } = this;
    const from = i;
    while (i > 0) {
      const parent = ((i - 1) / WIDE) | 0;
      if (keys[parent] < key || (keys[parent] === key && items[parent] < item)) break;
      keys[i] = keys[parent];
      items[i] = items[parent];
      at[items[i]] = i;
      i = parent;
    }
    while (i >= from) {
      const first = WIDE * i + 1;
      if (first >= size) break;
      const end = first + WIDE < size ? first + WIDE : size;
      let least = first;
      for (let c = first + 1; c < end; c++) {
        if (keys[c] < keys[least] || (keys[c] === keys[least] && items[c] < items[least])) least = c;
      }
      if (key < keys[least] || (key === keys[least] && item < items[least])) break;
      keys[i] = keys[least];
      items[i] = items[least];
      at[items[i]] = i;
      i = least;
    }
    keys[i] = key;
    items[i] = item;
    at[item] = i;
  }
}

import { patchColors } from './patch-colors.js';

/** A strip of squares, `columns` long, `rows` high, each of two triangles; vertices in the order given. */
function grid(columns: number, rows: number, number: (i: number, j: number) => number): number[] {
  const out: number[] = [];
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const [a, b, c, d] = [number(i, j), number(i + 1, j), number(i + 1, j + 1), number(i, j + 1)];
      out.push(a, b, c, a, c, d);
    }
  return out;
}

test('between a dark and a bright rim the colour goes over evenly, in all channels', () => {
  const size = 12;
  const numbers = new Map<string, number>();
  const border = (i: number, j: number): boolean => i === 0 || j === 0 || i === size || j === size;
  for (const rim of [true, false])
    for (let i = 0; i <= size; i++)
      for (let j = 0; j <= size; j++) if (border(i, j) === rim) numbers.set(`${i} ${j}`, numbers.size);
  const rim: number[] = [];
  const inner: number[] = [];
  // Linear along i: it solves Laplace's equation, whatever the triangles.
  for (const key of numbers.keys()) {
    const [i, j] = key.split(' ').map(Number);
    (border(i, j) ? rim : inner).push(20 * i, 240 - 20 * i, 100);
  }
  const triangles = grid(size, size, (i, j) => numbers.get(`${i} ${j}`)!);
  const colors = patchColors(Uint8Array.from(rim), numbers.size, triangles);
  expect(colors).toHaveLength(inner.length);
  colors.forEach((c, k) => expect(Math.abs(c - inner[k])).toBeLessThanOrEqual(2));
});

test('a patch without inner vertices has no colours of its own', () => {
  expect(patchColors(new Uint8Array(9).fill(7), 3, [0, 1, 2])).toHaveLength(0);
});

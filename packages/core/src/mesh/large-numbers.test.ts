import { boundaryLoops, labelPieces, makeManifold } from './index.js';

/** Vertex numbers above 2^22 once shared keys with others: a few triangles among many vertices show it. */
const FAR = 4_194_304;

test('triangles whose corners differ by 2^22 are no twins', () => {
  const positions = new Float32Array(3 * (FAR + 12));
  for (const v of [0, 1, 2, FAR + 2]) positions.set([v % 7, (v * 3) % 5, v % 11], 3 * v);
  // The third is the second one turned over; the first has corners of its own.
  const { mesh, degenerate } = makeManifold({ positions, indices: Uint32Array.of(0, 1, FAR + 2, 0, 2, 1, 0, 1, 2) });
  expect(degenerate).toBe(1);
  expect(mesh.indices.length).toBe(6);
});

test('rims and pieces of loose triangles', () => {
  const n = 2000;
  const indices = Uint32Array.from({ length: 3 * n }, (_, i) => i);
  const mesh = { positions: new Float32Array(9 * n).map((_, i) => (i * 7919) % 101), indices };
  expect(labelPieces(mesh).sizes).toEqual(new Array(n).fill(1));
  const loops = boundaryLoops(mesh);
  expect(loops).toHaveLength(n);
  expect(Array.from(loops[5])).toEqual([15, 16, 17]);
});

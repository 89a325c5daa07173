import { acrossText, besideHole, drawnRims, upTo, type FoundHole } from './hole-words';

const hole = (length: number): FoundHole => ({
  length,
  meant: false,
  middle: [0, 0, 0],
  rim: Float32Array.of(0, 0, 0, 4, 0, 0, 4, 3, 0),
});

test('holes are told by how wide they are and chosen by number', () => {
  expect(acrossText(hole(31.4159))).toBe('about 10.0 mm');
  expect(Array.from(upTo([hole(40), hole(12), hole(3), { ...hole(5), meant: true }], 12))).toEqual([1, 2]);
});

test('rims are drawn as points no further apart than asked, back to where they began', () => {
  const points = drawnRims([hole(12)], 1);
  expect(points.length / 3).toBe(4 + 3 + 5);
  expect(Array.from(points.slice(0, 6))).toEqual([0, 0, 0, 1, 0, 0]);
});

test('a hole is looked at from outside', () => {
  // The rim of a hole in a floor seen from above: along the triangles beside it, it runs clockwise.
  const rim = Float32Array.of(0, 0, 0, 0, 4, 0, 4, 4, 0, 4, 0, 0);
  const [x, y, z] = besideHole({ length: 16, meant: false, middle: [2, 2, 0], rim }, 50);
  expect([x, y, z].map(Math.round)).toEqual([2, 2, 50]);
});

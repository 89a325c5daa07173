import type { TriangleMesh } from '../geometry/index.js';
import { areaSpread, surfaceArea, vertexAreas, weakPlaces } from './index.js';

/** A level square of 40 mm in steps of 1 mm. */
const SIDE = 41;
const positions = new Float32Array(3 * SIDE * SIDE);
for (let i = 0; i < SIDE * SIDE; i++) positions.set([i % SIDE, Math.floor(i / SIDE), 0], 3 * i);
const indices: number[] = [];
for (let y = 0; y + 1 < SIDE; y++)
  for (let x = 0; x + 1 < SIDE; x++) {
    const a = SIDE * y + x;
    indices.push(a, a + 1, a + SIDE + 1, a, a + SIDE + 1, a + SIDE);
  }
const mesh: TriangleMesh = { positions, indices: Uint32Array.from(indices) };
const areas = vertexAreas(mesh);

/** Two bad places: 6 × 6 vertices about (10, 10), 3 × 3 about (30, 30), the latter worse; nothing known for x > 38. */
const values = Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
  const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
  if (x > 38) return NaN;
  if (Math.abs(x - 9.5) < 3 && Math.abs(y - 9.5) < 3) return 0.5;
  return Math.abs(x - 30) < 2 && Math.abs(y - 30) < 2 ? 0.9 : 0.1;
});

test('the areas of the vertices add up to that of the surface', () => {
  expect(areas.reduce((s, a) => s + a, 0)).toBeCloseTo(surfaceArea(mesh), 9);
});

test('the area spreads over the values, what is not known beside it', () => {
  const spread = areaSpread(areas, values, 1, 10);
  expect(spread.bars[5]).toBeCloseTo(36, 9);
  expect(spread.bars[9] + spread.bars[8]).toBeCloseTo(9, 9);
  expect(spread.known + spread.unknown).toBeCloseTo(1600, 9);
  // Columns 39 and 40: one whole and one half.
  expect(spread.unknown).toBeCloseTo(60, 9);
  expect(spread.bars.reduce((s, a) => s + a, 0)).toBeCloseTo(spread.known, 9);
});

test('values beyond the end count in the last bar', () => {
  expect(areaSpread(areas, values, 0.3, 3).bars[2]).toBeCloseTo(45, 9);
});

test('places beyond a limit are found, the largest first, with where they are and how bad', () => {
  const found = weakPlaces(
    mesh,
    areas,
    (v) => values[v],
    (v) => values[v] > 0.3,
    10,
  );
  expect(found.map((f) => [Math.round(f.area), Number(f.worst.toFixed(3))])).toEqual([
    [36, 0.5],
    [9, 0.9],
  ]);
  expect(found[1].place).toEqual([30, 30, 0]);
  expect(found[0].facing).toEqual([0, 0, 1]);
  expect(Math.hypot(found[0].place[0] - 9.5, found[0].place[1] - 9.5)).toBeLessThan(1);
  expect(
    weakPlaces(
      mesh,
      areas,
      (v) => values[v],
      (v) => values[v] > 0.3,
      1,
    ),
  ).toHaveLength(1);
});

test('where nothing is weak nothing is found', () => {
  expect(
    weakPlaces(
      mesh,
      areas,
      (v) => values[v],
      () => false,
      5,
    ),
  ).toEqual([]);
});

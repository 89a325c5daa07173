import { ShapeUtils, Vector2 } from 'three';
import { createRandom } from '../math/index.js';
import { triangulateOutlines } from './triangulate-outlines.js';

/** A ragged closed line about a place, counter-clockwise. */
function ragged(x: number, y: number, radius: number, places: number, random: () => number): [number, number][] {
  return Array.from({ length: places }, (_, i) => {
    const a = (2 * Math.PI * i) / places;
    const r = radius * (0.7 + 0.3 * random());
    return [x + r * Math.cos(a), y + r * Math.sin(a)];
  });
}
const areaOf = (p: number[][]): number =>
  p.reduce((sum, [x, y], i) => sum + (x * p[(i + 1) % p.length][1] - p[(i + 1) % p.length][0] * y) / 2, 0);

function triangulated(outlines: [number, number][][]): { areas: number[]; left: number[] } {
  const all = outlines.flat();
  let at = 0;
  const numbers = outlines.map((o) => o.map(() => at++));
  const { triangles, left } = triangulateOutlines(all.flat(), numbers);
  const areas: number[] = [];
  for (let t = 0; t < triangles.length; t += 3) areas.push(areaOf(triangles.slice(t, t + 3).map((v) => all[v])));
  return { areas, left };
}
const sum = (values: number[]): number => values.reduce((s, v) => s + v, 0);

test('ragged outlines with holes are filled exactly, by as many triangles as three’s own (earcut)', () => {
  for (let seed = 1; seed <= 40; seed++) {
    const random = createRandom(seed);
    const outer = ragged(0, 0, 20, 12 + Math.floor(60 * random()), random);
    const holes = [
      [5, 3],
      [-6, 2],
      [0, -7],
    ]
      .slice(0, Math.floor(4 * random()))
      .map(([x, y]) => ragged(x, y, 3, 5 + Math.floor(20 * random()), random).reverse());
    const { areas, left } = triangulated([outer, ...holes]);
    expect(left).toEqual([]);
    expect(Math.min(...areas)).toBeGreaterThanOrEqual(0);
    expect(sum(areas)).toBeCloseTo(areaOf(outer) + sum(holes.map(areaOf)), 8);
    const vectors = (o: [number, number][]): Vector2[] => o.map(([x, y]) => new Vector2(x, y));
    expect(areas).toHaveLength(ShapeUtils.triangulateShape(vectors(outer), holes.map(vectors)).length);
  }
});

test('an island in a hole in an outline is an outline of its own; a hole in nothing is left', () => {
  const random = createRandom(3);
  const ring = (r: number, turned = false): [number, number][] => {
    const line = ragged(0, 0, r, 30, random);
    return turned ? line.reverse() : line;
  };
  const outlines = [ring(30), ring(18, true), ring(9), ragged(80, 0, 5, 12, random).reverse()];
  const { areas, left } = triangulated(outlines);
  expect(left).toEqual([3]);
  expect(sum(areas)).toBeCloseTo(sum(outlines.slice(0, 3).map(areaOf)), 8);
});

test('outlines with corners in line and on top of one another end', () => {
  const square: [number, number][] = [];
  for (const [x, y] of [
    [0, 0],
    [1, 0],
    [2, 0],
    [2, 1],
    [2, 2],
    [1, 2],
    [0, 2],
    [0, 1],
  ])
    square.push([x, y]);
  expect(sum(triangulated([square]).areas)).toBeCloseTo(4, 12);
  expect(sum(triangulated([[...square, [0, 1], [0, 0.5]]]).areas)).toBeCloseTo(4, 12);
});

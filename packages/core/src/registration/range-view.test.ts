import type { Scan } from '../geometry/scan.js';
import { transformPoint, type Vec3 } from '../math/mat4.js';
import { buildRangeViews, type RangeView } from './range-view.js';

/** A square board of 60 mm, half a millimetre between its points, `z` above the origin. */
function board(z: number, side = 60): number[] {
  const out: number[] = [];
  for (let y = -side / 2; y <= side / 2; y += 0.5) for (let x = -side / 2; x <= side / 2; x += 0.5) out.push(x, y, z);
  return out;
}

const EYE: Vec3 = [0, 0, 300];
const scanOf = (points: number[], backdrop?: number[]): Scan => ({
  name: 'board',
  cloud: { positions: Float32Array.from(points) },
  viewpoints: [EYE],
  ...(backdrop ? { backdrop: Float32Array.from(backdrop) } : {}),
});

/** The distance that a view has in the direction of a point, and the point's own; undefined outside the picture. */
function look({ sensorFromScan, size, focal, nearest }: RangeView, p: Vec3): { seen: number; own: number } | undefined {
  const [x, y, z] = transformPoint(sensorFromScan, ...p);
  const u = Math.round(size / 2 + (focal * x) / z);
  const v = Math.round(size / 2 + (focal * y) / z);
  return u < 1 || v < 1 || u >= size - 1 || v >= size - 1 ? undefined : { seen: nearest[v * size + u], own: z };
}

test('a point on the board is as far as it was measured, one above it nearer, one below it farther', () => {
  const [view] = buildRangeViews(scanOf(board(0)), [EYE]);
  for (const [x, y] of [
    [0, 0],
    [20, -15],
    [-25, 25],
  ]) {
    const on = look(view, [x, y, 0])!;
    // The nearest of nine pixels: a slant of the ray of at most a sixth, over two pixels of about a millimetre.
    expect(on.seen).toBeLessThanOrEqual(on.own + 1e-3);
    expect(on.own - on.seen).toBeLessThan(0.5);
    expect(look(view, [x, y, 12])!.own).toBeLessThan(on.seen - 10);
    expect(look(view, [x, y, -12])!.own).toBeGreaterThan(on.seen + 10);
  }
});

test('where a hole is the sensor measured nothing, unless it saw something behind', () => {
  const ring = board(0).flatMap((_, i, p) => (i % 3 === 0 && Math.hypot(p[i], p[i + 1]) > 12 ? p.slice(i, i + 3) : []));
  const [bare] = buildRangeViews(scanOf(ring), [EYE]);
  expect(look(bare, [0, 0, 0])!.seen).toBe(0);
  const [behind] = buildRangeViews(scanOf(ring, board(-40, 80)), [EYE]);
  const through = look(behind, [0, 0, 0])!;
  expect(through.seen - through.own).toBeCloseTo(40, 0);
});

test('beside the picture nothing is said', () => {
  const [view] = buildRangeViews(scanOf(board(0)), [EYE]);
  expect(look(view, [200, 0, 0])).toBeUndefined();
});

test('of many places three are taken, evenly; of none there is no view', () => {
  const eyes = Array.from({ length: 30 }, (_, i): Vec3 => [i, 0, 300]);
  const views = buildRangeViews(scanOf(board(0)), eyes);
  expect(views.map(({ sensorFromScan }) => Math.round(transformPoint(sensorFromScan, 0, 0, 0)[2]))).toEqual([
    300, 300, 301,
  ]);
  expect(views).toHaveLength(3);
  expect(buildRangeViews(scanOf(board(0)), [])).toEqual([]);
});

import type { Placement, Scan } from '../geometry/scan.js';
import { identity, type Vec3 } from '../math/mat4.js';
import { createRunContext } from '../runtime/run-context.js';
import { findNextViews } from './next-views.js';
import { presumeSurface, solidityOf } from './presumed-surface.js';
import { buildSightGrid, cellAt, EMPTY, firstSolid, SURFACE, UNSEEN } from './sight-grid.js';
import { spreadDirections } from '../math/spread-directions.js';

const RADIUS = 40;

/** What a sensor at `eye` sees of a ball round the origin, points about 1 mm apart or `n` all round, less what is not kept. */
function capOf(
  name: string,
  eye: Vec3,
  n = 20_000,
  keep: (z: number, i: number) => boolean = () => true,
): { scan: Scan; placement: Placement; setup: string } {
  const positions: number[] = [];
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * i + 1) / n;
    const a = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z);
    const p: Vec3 = [RADIUS * r * Math.cos(a), RADIUS * r * Math.sin(a), RADIUS * z];
    // Seen where the surface faces the sensor by at least 20°.
    const back = eye.map((v, k) => v - p[k]);
    const cosine = (back[0] * p[0] + back[1] * p[1] + back[2] * p[2]) / (RADIUS * Math.hypot(...back));
    if (cosine > 0.34 && keep(z, i)) positions.push(...p);
  }
  const scan = { name, cloud: { positions: Float32Array.from(positions) }, viewpoints: [eye] };
  return { scan, placement: { name, state: 'registered', pieceFromScan: identity() }, setup: 'Upright' };
}

const round = [0, 1, 2, 3].map((k): Vec3 => [
  350 * Math.cos((k * Math.PI) / 2),
  350 * Math.sin((k * Math.PI) / 2),
  120,
]);

test('what was looked through is empty, what was measured is surface, what lies in its shadow is unseen', () => {
  const grid = buildSightGrid([capOf('a', [350, 0, 0]), capOf('b', [0, 350, 0])])!;
  const at = (x: number, y: number, z: number): number => grid.state[cellAt(grid, x, y, z)];
  expect(at(RADIUS * 0.999, 0, 0)).toBe(SURFACE);
  expect(at(0, 0, 0)).toBe(UNSEEN);
  expect(at(RADIUS * 0.85, RADIUS * 0.85, 0)).toBe(EMPTY);
  expect(firstSolid(grid, [350, 0, 0], [-40, 0, 0])).toBe(cellAt(grid, RADIUS * 0.999, 0, 0));
});

test('what is seen from all sides has no skin of cells before it that look unseen', () => {
  const placed = spreadDirections(14).map((d, k) => capOf(`s${k}`, d.map((v) => 350 * v) as Vec3));
  const { unseen } = findNextViews(placed, { distance: 350 }, createRunContext());
  expect(unseen).toBeLessThan(0.02 * 4 * Math.PI * RADIUS ** 2);
});

test('where a scan has few points the surface is thin, and is to be scanned again from there', () => {
  // A belt seen from four sides, the underside, and the top above 0.6 of the radius with every `nth` point: about ten
  // a cell for each scan but that.
  const seen = (nth: number): ReturnType<typeof findNextViews> => {
    const sides = [0, 1, 2, 3].map((k): Vec3 => [350 * Math.cos(k * 1.5708), 350 * Math.sin(k * 1.5708), 0]);
    const placed = [
      ...sides.map((eye, k) => capOf(`side ${k}`, eye, 200_000, (z) => Math.abs(z) < 0.62)),
      capOf('below', [0, 0, -350], 200_000, (z) => z < -0.6),
      capOf('above', [0, 0, 350], 200_000, (z, i) => z > 0.6 && i % nth === 0),
    ];
    return findNextViews(placed, { distance: 350 }, createRunContext());
  };
  const cap = 2 * Math.PI * 0.4 * RADIUS ** 2;
  expect(seen(1).thin).toBe(0);
  const { views, thin } = seen(8);
  // Cells that no point lies in are not counted: seven in ten hold one of 1.2 points on average.
  expect(thin).toBeGreaterThan(0.4 * cap);
  expect(thin).toBeLessThan(1.2 * cap);
  expect(views[0].eye[2] - views[0].target[2]).toBeGreaterThan(0.8 * 350);
  expect(views[0].thinGain).toBeGreaterThan(0.5 * thin);
});

test('between what is behind a surface and what is empty the surface is presumed halfway', () => {
  // A wide slab: surface at 2, empty from 13 on, where a harmonic function falls evenly from 1 to 0.
  const size: [number, number, number] = [14, 61, 61];
  const state = new Uint8Array(size[0] * size[1] * size[2]).fill(UNSEEN);
  const behind = new Uint8Array(state.length);
  for (let at = 0; at < state.length; at++) {
    const x = at % size[0];
    if (x <= 2) state[at] = SURFACE;
    if (x >= 13) state[at] = EMPTY;
  }
  const grid = { cell: 1, origin: [0, 0, 0] as Vec3, size, state, behind, points: new Uint32Array(0), usualPoints: 0 };
  const solid = solidityOf(grid);
  const across = (level: number): number[] => {
    const middle = (30 * size[1] + 30) * size[0];
    return Array.from(presumeSurface(grid, solid, level).state.subarray(middle, middle + 14));
  };
  expect(across(0.5)).toEqual([2, 2, 2, 0, 0, 0, 0, 0, 3, 3, 3, 3, 3, 1]);
  // Other guesses lie nearer to what is empty, and to what was measured.
  expect(across(0.25)).toEqual([2, 2, 2, 0, 0, 0, 0, 0, 0, 0, 0, 3, 3, 1]);
  expect(across(0.75)).toEqual([2, 2, 2, 0, 0, 3, 3, 3, 3, 3, 3, 3, 3, 1]);
});

test('a ball seen from all sides but below is to be looked at from below, laid down anew', () => {
  const { views, unseen } = findNextViews(
    round.map((eye, k) => capOf(`s${k}`, eye)),
    { distance: 350 },
    createRunContext(),
  );
  expect(unseen).toBeGreaterThan(0);
  const [first] = views;
  expect((first.eye[2] - first.target[2]) / 350).toBeLessThan(-0.8);
  expect(first.setup).toBeUndefined();
  expect(first.share).toBeGreaterThan(0.6);
  expect(first.sees.length).toBeGreaterThan(0);
});

test('the side that is missing is found, and reached as the piece lies', () => {
  const { views } = findNextViews(
    round.slice(0, 2).map((eye, k) => capOf(`s${k}`, [eye[0], eye[1], 200])),
    { distance: 350 },
    createRunContext(),
  );
  // Seen from +X and +Y: the best of what is missing lies towards −X and −Y.
  expect(views[0].eye[0] + views[0].eye[1]).toBeLessThan(0);
  expect(views.every((v, i) => i === 0 || v.gain <= views[i - 1].gain)).toBe(true);
});

test('a scanner that sees little of the ball, or not so far, is promised only what it can measure', () => {
  const placed = round.map((eye, k) => capOf(`s${k}`, eye));
  const gain = (reach: object): number =>
    findNextViews(placed, { distance: 350, ...reach }, createRunContext()).views[0]?.gain ?? 0;
  const free = gain({});
  // A cone of 4° holds a disc of 12 mm radius at the ball's underside, in cells of about 1.3 mm.
  const narrow = gain({ fieldOfView: 4 });
  expect(narrow).toBeGreaterThan(0.5 * Math.PI * 11 ** 2);
  expect(narrow).toBeLessThan(1.3 * Math.PI * 12.5 ** 2);
  expect(narrow).toBeLessThan(free);
  expect(gain({ far: 300 })).toBe(0);
  expect(gain({ near: 400 })).toBe(0);
});

test('a patch is outlined by closed loops round it', () => {
  const [first] = findNextViews(
    round.map((eye, k) => capOf(`s${k}`, eye)),
    { distance: 350 },
    createRunContext(),
  ).views;
  const ends = new Map<string, number>();
  for (let e = 0; e < first.outline.length; e += 3) {
    const key = Array.from(first.outline.subarray(e, e + 3), (v) => v.toFixed(2)).join();
    ends.set(key, (ends.get(key) ?? 0) + 1);
    const [x, y, z] = first.outline.subarray(e, e + 3);
    // On the side that is looked at, on the ball or just outside it.
    expect(x * first.eye[0] + y * first.eye[1] + z * first.eye[2]).toBeGreaterThan(0);
    expect(Math.hypot(x, y, z)).toBeLessThan(1.25 * RADIUS);
  }
  expect([...ends.values()].every((n) => n % 2 === 0)).toBe(true);
});

test('without scans nothing is advised', () => {
  expect(findNextViews([], { distance: 350 }, createRunContext())).toEqual({ views: [], unseen: 0, thin: 0 });
});

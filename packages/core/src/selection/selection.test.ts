import { PerspectiveCamera, Vector3 } from 'three';
import { BitSet } from '../geometry/index.js';
import { fromAxisAngle, fromTranslation, identity, multiply, transformPoint, type Vec3 } from '../math/index.js';
import { createRandom, gaussian } from '../math/random.js';
import { createRunContext } from '../runtime/index.js';
import {
  growSelection,
  insideOfPath,
  invertSelection,
  joinSelections,
  measurePoints,
  measureResiduals,
  planeAround,
  pointAt,
  selectBox,
  selectConnected,
  selectLikeColor,
  selectLikeNormal,
  selectOnScreen,
  selectSlab,
  selectWithin,
  shrinkSelection,
  trackOfBrush,
  type SelectableCloud,
  worstPlaces,
} from './index.js';

/** Evenly spread points on a ball (the golden-angle spiral), outward normals, red above and blue below the middle. */
function ball(n: number, radius: number, centre: Vec3 = [0, 0, 0]): SelectableCloud {
  const positions = new Float32Array(3 * n);
  const normals = new Float32Array(3 * n);
  const colors = new Uint8Array(3 * n);
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * i + 1) / n;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z);
    normals.set([r * Math.cos(phi), r * Math.sin(phi), z], 3 * i);
    colors.set(z > 0 ? [200, 40, 30] : [30, 40, 200], 3 * i);
    for (let k = 0; k < 3; k++) positions[3 * i + k] = centre[k] + radius * normals[3 * i + k];
  }
  const spacing = 0.9 * Math.sqrt((4 * Math.PI * radius * radius) / n);
  return { positions, normals, colors, present: BitSet.full(n), viewFromScan: identity(), spacing };
}

const WIDTH = 800;
const HEIGHT = 600;
const camera = new PerspectiveCamera(35, WIDTH / HEIGHT, 1, 2000);
camera.up.set(0, 0, 1);
camera.position.set(40, -300, 60);
camera.lookAt(0, 0, 0);
camera.updateMatrixWorld();
const view = {
  clipFromView: multiply(
    Float64Array.from(camera.projectionMatrix.elements),
    Float64Array.from(camera.matrixWorldInverse.elements),
  ),
  width: WIDTH,
  height: HEIGHT,
};
/** Where three.js draws a point, pixels. */
function drawnAt(p: ArrayLike<number>): [number, number] {
  const v = new Vector3(p[0], p[1], p[2]).project(camera);
  return [((v.x + 1) / 2) * WIDTH, ((1 - v.y) / 2) * HEIGHT];
}
const rectangle = (x0: number, y0: number, x1: number, y1: number): number[] => [x0, y0, x1, y0, x1, y1, x0, y1];
const everything = insideOfPath(rectangle(0, 0, WIDTH, HEIGHT), WIDTH, HEIGHT);
const area = (mask: Uint8Array): number => mask.reduce((a, b) => a + b, 0);

test('sets of bits count, join and list like sets of numbers', () => {
  const random = createRandom(3);
  const size = 1003;
  const [a, b] = [0, 1].map(() => new Set(Array.from({ length: 400 }, () => Math.floor(size * random()))));
  const bits = (s: Set<number>): BitSet => {
    const out = new BitSet(size);
    s.forEach((i) => out.add(i));
    return out;
  };
  const numbers = (s: Iterable<number>): number[] => [...s].sort((x, y) => x - y);
  expect(bits(a).count()).toBe(a.size);
  expect(Array.from(bits(a).toArray())).toEqual(numbers(a));
  expect(Array.from(joinSelections(bits(a), bits(b), 'add').toArray())).toEqual(numbers(new Set([...a, ...b])));
  expect(Array.from(joinSelections(bits(a), bits(b), 'subtract').toArray())).toEqual(
    numbers([...a].filter((i) => !b.has(i))),
  );
  expect(Array.from(joinSelections(bits(a), bits(b), 'intersect').toArray())).toEqual(
    numbers([...a].filter((i) => b.has(i))),
  );
  expect(BitSet.full(size).difference(bits(a)).count()).toBe(size - a.size);
});

test('a circle drawn as a path covers π r²; drawn twice over itself it still has no hole; outside is cut off', () => {
  const r = 130.3;
  const circle = (turns: number): number[] =>
    Array.from({ length: 400 * turns }, (_, i) => [
      400 + r * Math.cos((i / 200) * Math.PI),
      300 + r * Math.sin((i / 200) * Math.PI),
    ]).flat();
  for (const turns of [1, 2]) {
    const region = insideOfPath(circle(turns), WIDTH, HEIGHT);
    expect(Math.abs(area(region.mask) - Math.PI * r * r)).toBeLessThan(0.003 * Math.PI * r * r);
  }
  const beside = insideOfPath(rectangle(-50, -50, 20, 1000), WIDTH, HEIGHT);
  expect(area(beside.mask)).toBe(20 * HEIGHT);
  expect(insideOfPath([5, 5], WIDTH, HEIGHT).mask.some(Boolean)).toBe(false);
  expect(insideOfPath(rectangle(-90, -90, -10, -10), WIDTH, HEIGHT).mask).toHaveLength(0);
});

test('a brush covers a band with round ends', () => {
  const r = 20;
  const region = trackOfBrush([200, 300, 400, 300], r, WIDTH, HEIGHT);
  const wanted = 2 * r * 200 + Math.PI * r * r;
  expect(Math.abs(area(region.mask) - wanted)).toBeLessThan(0.01 * wanted);
  expect(area(trackOfBrush([100, 100], r, WIDTH, HEIGHT).mask)).toBeCloseTo(Math.PI * r * r, -2);
});

test('points are found where three.js draws them, however their scan is placed', () => {
  const cloud = ball(4000, 50);
  const placed = multiply(fromTranslation(12, -30, 8), fromAxisAngle([0.6, 0, 0.8], 1.1));
  cloud.viewFromScan = placed;
  const region = insideOfPath(rectangle(350, 200, 470, 330), WIDTH, HEIGHT);
  const [found] = selectOnScreen([cloud], view, region, false);
  for (let i = 0; i < 4000; i++) {
    const p = cloud.positions.subarray(3 * i, 3 * i + 3);
    const [x, y] = drawnAt(transformPoint(placed, p[0], p[1], p[2]));
    const edge = Math.min(Math.abs(x - 350), Math.abs(x - 470), Math.abs(y - 200), Math.abs(y - 330));
    if (edge < 0.01) continue;
    expect(found.has(i)).toBe(x > 350 && x < 470 && y > 200 && y < 330);
  }
});

test.each([
  ['as many points as pixels', 40_000],
  ['many points to a pixel', 1_500_000],
])('through the object both sides are selected; visible only, the side that faces the camera: %s', (_, n) => {
  const front = ball(n, 50);
  const behind = ball(5000, 20, [-5, 150, -8]);
  const through = selectOnScreen([front, behind], view, everything, false);
  expect(through.map((s) => s.count())).toEqual([n, 5000]);
  const seen = selectOnScreen([front, behind], view, everything, true);
  expect(seen[1].count()).toBe(0);
  const eye = camera.position.toArray();
  let wrong = 0;
  for (let i = 0; i < n; i++) {
    const p = front.positions.subarray(3 * i, 3 * i + 3);
    const d = [0, 1, 2].map((k) => eye[k] - p[k]);
    const facing = (d[0] * p[0] + d[1] * p[1] + d[2] * p[2]) / (Math.hypot(...d) * 50);
    // Within a cell (two spacings, 1.6 mm) of the outline either is right: √(1 − (48.4 / 50)²) = 0.25, and half a cell more.
    if (Math.abs(facing) > 0.31 && seen[0].has(i) !== facing > 0) wrong++;
  }
  expect(wrong).toBe(0);
});

test('cut points are neither selected nor do they hide', () => {
  const front = ball(40_000, 50);
  const behind = ball(5000, 20, [-5, 150, -8]);
  front.present = new BitSet(40_000);
  const seen = selectOnScreen([front, behind], view, everything, true);
  expect(seen[0].count()).toBe(0);
  expect(seen[1].count()).toBeGreaterThan(2000);
});

test('spheres, slabs and boxes in the view’s frame hold the points that arithmetic says', () => {
  const cloud = ball(3000, 50);
  cloud.viewFromScan = multiply(fromTranslation(100, 0, 0), fromAxisAngle([0, 0, 1], 0.7));
  const at = (i: number): Vec3 =>
    transformPoint(cloud.viewFromScan, ...(Array.from(cloud.positions.subarray(3 * i, 3 * i + 3)) as Vec3));
  const near = selectWithin([cloud], Float32Array.of(150, 0, 0, 100, 0, 50), 22)[0];
  const slab = selectSlab([cloud], [100, 0, 10], [0, 0.6, 0.8], -5, 12)[0];
  const box = selectBox([cloud], [80, -40, -60], [130, 20, 30])[0];
  for (let i = 0; i < 3000; i++) {
    const [x, y, z] = at(i);
    const d = Math.min(Math.hypot(x - 150, y, z), Math.hypot(x - 100, y, z - 50));
    if (Math.abs(d - 22) > 1e-3) expect(near.has(i)).toBe(d < 22);
    const h = 0.6 * y + 0.8 * (z - 10);
    if (Math.abs(h + 5) > 1e-3 && Math.abs(h - 12) > 1e-3) expect(slab.has(i)).toBe(h > -5 && h < 12);
    expect(box.has(i)).toBe(x >= 80 && x <= 130 && y >= -40 && y <= 20 && z >= -60 && z <= 30);
  }
});

test('growing reaches into the neighbouring scan, shrinking takes the rim away, inverting twice changes nothing', () => {
  const clouds = [ball(8000, 50), ball(8000, 50)];
  const cap = selectBox(clouds, [-60, -60, 40], [60, 60, 60]);
  const half = [cap[0], new BitSet(8000)];
  const grown = growSelection(clouds, half, 4);
  expect(grown[0].difference(cap[0]).count()).toBeGreaterThan(100);
  expect(grown[1].count()).toBeGreaterThan(cap[1].count());
  const back = shrinkSelection(clouds, grown, 4);
  // Closing (growing, then shrinking) never loses a point of what it began with (Serra 1982, Image Analysis).
  expect(half[0].difference(back[0]).count()).toBe(0);
  expect(shrinkSelection(clouds, cap, 4)[0].count()).toBeLessThan(cap[0].count());
  const twice = invertSelection(clouds, invertSelection(clouds, cap));
  expect(twice[0].bytes).toEqual(cap[0].bytes);
});

test('what hangs together is told from what stands apart', () => {
  const clouds = [ball(6000, 30), ball(6000, 30, [70, 0, 0])];
  const all = clouds.map((c) => c.present);
  const piece = selectConnected(clouds, all, { cloud: 1, point: 17 }, 3);
  expect(piece.map((s) => s.count())).toEqual([0, 6000]);
  clouds[1].viewFromScan = fromTranslation(-9, 0, 0);
  expect(selectConnected(clouds, all, { cloud: 1, point: 17 }, 3)[0].count()).toBe(6000);
  const none = selectConnected(clouds, [new BitSet(6000), new BitSet(6000)], { cloud: 1, point: 17 }, 3);
  expect(none.map((s) => s.count())).toEqual([0, 0]);
});

test('colour and normal pick out their like', () => {
  const clouds = [ball(5000, 30), { ...ball(5000, 30), colors: undefined, normals: undefined }];
  const red = selectLikeColor(clouds, { cloud: 0, point: 3 }, 12);
  expect(red.map((s) => s.count())).toEqual([2500, 0]);
  const top = selectLikeNormal(clouds, { cloud: 0, point: 0 }, Math.PI / 6);
  // The share of a ball whose normals lie within an angle a of the top is (1 − cos a) / 2.
  expect(top[0].count() / 5000).toBeCloseTo((1 - Math.cos(Math.PI / 6)) / 2, 2);
  expect(top[1].count()).toBe(0);
  expect(selectLikeColor(clouds, { cloud: 1, point: 3 }, 12)[0].count()).toBe(0);
});

test('the point under a pixel is the nearest one there; beside the object there is none', () => {
  const cloud = ball(40_000, 50);
  cloud.viewFromScan = fromAxisAngle([0, 1, 0], 0.4);
  for (const wanted of [5, 1234, 20_000, 39_000]) {
    const place = transformPoint(
      cloud.viewFromScan,
      ...(Array.from(cloud.positions.subarray(3 * wanted, 3 * wanted + 3)) as Vec3),
    );
    const toEye = camera.position.toArray().map((e, k) => e - place[k]);
    const facing = toEye[0] * place[0] + toEye[1] * place[1] + toEye[2] * place[2];
    const found = pointAt([ball(10, 1), cloud], view, drawnAt(place), 4);
    expect(found?.cloud).toBe(1);
    const p = cloud.positions.subarray(3 * found!.point, 3 * found!.point + 3);
    const at = transformPoint(cloud.viewFromScan, p[0], p[1], p[2]);
    const off = Math.hypot(...at.map((v, k) => v - place[k]));
    // What lies on the far side is covered by another point; else a few spacings (0.8 mm) at most, where it is steep.
    if (facing > 0) expect(off).toBeLessThan(3);
    else expect(off).toBeGreaterThan(10);
  }
  expect(pointAt([cloud], view, [5, 5], 6)).toBeUndefined();
});

test('the plane around a point is the face it lies on, not its neighbour', () => {
  const random = createRandom(8);
  const n = 20_000;
  // Two faces of a block with 0.05 mm noise, meeting along x = 30.
  const positions = new Float32Array(6 * n);
  for (let i = 0; i < n; i++) {
    positions.set([30 * random(), 40 * random(), 0.1 * (random() - 0.5)], 3 * i);
    positions.set([30 + 0.1 * (random() - 0.5), 40 * random(), -30 * random()], 3 * (n + i));
  }
  positions.set([27, 20, 0], 0);
  const cloud = { positions, present: BitSet.full(2 * n), viewFromScan: identity(), spacing: 0.2 };
  const plane = planeAround([cloud], { cloud: 0, point: 0 }, 0.3, [0, 0, -500])!;
  // Turned to the eye, which is below.
  expect(plane.normal[2]).toBeLessThan(-0.9999);
  expect(Math.abs(plane.place[2])).toBeLessThan(0.02);
  const lonely = { ...cloud, present: new BitSet(2 * n) };
  expect(planeAround([lonely], { cloud: 0, point: 0 }, 0.3, [0, 0, 1])).toBeUndefined();
});

test('measures tell lonely, grazing, loose and far points; what is cut away has none', () => {
  const object = ball(8000, 30);
  const crumb = ball(60, 2, [60, 0, 0]);
  const join = (a: Float32Array, b: Float32Array, c: number[]): Float32Array => Float32Array.from([...a, ...b, ...c]);
  const cloud: SelectableCloud = {
    positions: join(object.positions, crumb.positions, [0, 200, 0, 1, 2, 3]),
    normals: join(object.normals!, crumb.normals!, [0, 0, 1, 0, 0, 1]),
    present: BitSet.full(8062),
    viewFromScan: identity(),
    spacing: object.spacing,
  };
  cloud.present.delete(8061);
  const ctx = createRunContext();
  const of = (m: Parameters<typeof measurePoints>[2]): Float32Array => measurePoints(cloud, [[0, 0, 1000]], m, ctx);
  const [density, angle, piece, distance] = [of('density'), of('angle'), of('piece'), of('distance')];
  expect(density[8060]).toBe(0);
  expect(density[4000]).toBeGreaterThan(0.8);
  expect(angle[0]).toBeLessThan(2);
  expect(angle[4000]).toBeGreaterThan(85);
  expect([piece[0], piece[8010]]).toEqual([100, expect.closeTo(0.75, 3)]);
  expect(distance[8060]).toBeCloseTo(200, 0);
  for (const m of [density, angle, piece, distance]) expect(m[8061]).toBeNaN();
  expect(measurePoints(cloud, [], 'angle', ctx)[0]).toBeNaN();
});

test('spacing, noise and brightness are measured at every point', () => {
  const random = createRandom(4);
  const [side, pitch, sigma] = [80, 0.5, 0.05];
  const positions = new Float32Array(3 * side * side);
  for (let i = 0; i < side * side; i++)
    positions.set([pitch * (i % side), pitch * Math.floor(i / side), sigma * gaussian(random)], 3 * i);
  const cloud: SelectableCloud = {
    positions,
    normals: positions.map((_, j) => (j % 3 === 2 ? 1 : 0)),
    colors: Uint8Array.from({ length: positions.length }, (_, j) => (j < 3 ? [255, 0, 0][j] : 255)),
    present: BitSet.full(side * side),
    viewFromScan: identity(),
    spacing: pitch,
  };
  const ctx = createRunContext();
  const median = (m: Parameters<typeof measurePoints>[2]): number =>
    measurePoints(cloud, [], m, ctx).sort()[(side * side) >> 1];
  expect(median('spacing') / pitch).toBeGreaterThan(1);
  expect(median('spacing') / pitch).toBeLessThan(1.02);
  // Median of a half-normal value; about fifty neighbours add a hundredth.
  expect(median('noise')).toBeGreaterThan(0.95 * 0.6745 * sigma);
  expect(median('noise')).toBeLessThan(1.07 * 0.6745 * sigma);
  const light = measurePoints(cloud, [], 'brightness', ctx);
  expect(light[0]).toBeCloseTo(21.26, 2);
  expect(light[1]).toBeCloseTo(100, 4);
  const bare = { ...cloud, colors: undefined, normals: undefined };
  for (const m of ['noise', 'brightness'] as const) expect(measurePoints(bare, [], m, ctx)[7]).toBeNaN();
});

test('where points lie much closer than usual, their spacing is still that to the nearest', () => {
  const p: number[] = [];
  for (let i = 0; i < 20; i++) for (let j = 0; j < 20; j++) p.push(0.1 * i, 0.1 * j, 0);
  for (let i = 0; i < 40; i++) for (let j = 0; j < 40; j++) p.push(10 + i, j, 0);
  const size = p.length / 3;
  const cloud: SelectableCloud = {
    positions: Float32Array.from(p),
    present: BitSet.full(size),
    viewFromScan: identity(),
    spacing: 1,
  };
  const spacing = measurePoints(cloud, [], 'spacing', createRunContext());
  expect(Math.max(...spacing.subarray(0, 400))).toBeCloseTo(0.1, 4);
  expect(spacing[size - 1]).toBeCloseTo(1, 4);
});

test('residuals are the distances between surfaces, not between points; what one scan alone saw has none', () => {
  const outer = ball(20_000, 50.2);
  const inner = ball(23_000, 50);
  // Only the upper half of the inner ball is left.
  for (let i = 11_500; i < 23_000; i++) inner.present.delete(i);
  const shifted = { ...outer, viewFromScan: fromTranslation(3, 0, 0) };
  shifted.positions = outer.positions.map((v, j) => (j % 3 === 0 ? v - 3 : v));
  const [a, b] = measureResiduals([shifted, inner], createRunContext());
  const known = Array.from(a.slice(0, 9500));
  expect(Math.max(...known)).toBeLessThan(0.25);
  expect(known.reduce((s, v) => s + v, 0) / known.length).toBeCloseTo(0.2, 1);
  expect(a[19_000]).toBeNaN();
  expect(b[20_000]).toBeNaN();
  expect(b[100]).toBeLessThan(0.25);
});

test('the worst places are where values are highest, apart from one another', () => {
  const cloud = ball(20_000, 50);
  const bumps: Vec3[] = [
    [50, 0, 0],
    [0, 0, 50],
  ];
  const values = Float32Array.from({ length: 20_000 }, (_, i) => {
    const p = cloud.positions.subarray(3 * i, 3 * i + 3);
    const near = bumps.map((b) => Math.hypot(b[0] - p[0], b[1] - p[1], b[2] - p[2]));
    return i % 7 === 0 ? NaN : near[0] < 8 ? 1 : near[1] < 8 ? 0.6 : 0.05;
  });
  const [first, second, third] = worstPlaces([cloud], [values], 12, 3);
  expect(Math.hypot(...first.place.map((v, k) => v - bumps[0][k]))).toBeLessThan(10);
  expect(Math.hypot(...second.place.map((v, k) => v - bumps[1][k]))).toBeLessThan(14);
  expect(first.mean).toBeGreaterThan(second.mean);
  expect(third.mean).toBeLessThan(second.mean);
});

test('the other side of a thin wall is no residual', () => {
  const outside = ball(20_000, 50);
  const inside = ball(20_000, 48.5);
  inside.normals = inside.normals!.map((v) => -v);
  const [a] = measureResiduals([outside, inside], createRunContext());
  expect(a.every((v) => Number.isNaN(v))).toBe(true);
});

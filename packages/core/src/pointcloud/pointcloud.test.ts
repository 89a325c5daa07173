import { createRandom, fromAxisAngle, gaussian, transformPoints } from '../math/index.js';
import { boundsOf } from '../geometry/index.js';
import { createRunContext } from '../runtime/index.js';
import { spherePoints } from '../../test/shapes.js';
import {
  computeFpfh,
  estimateNoise,
  estimateNormals,
  estimateSpacing,
  FPFH_SIZE,
  removeStrayPoints,
  removeSupportPlane,
  thinByVoxel,
} from './index.js';

const ctx = createRunContext();

test('the spacing of a square grid is its step', () => {
  const positions: number[] = [];
  for (let x = 0; x < 60; x++) for (let y = 0; y < 60; y++) positions.push(0.5 * x, 0.5 * y, 0);
  expect(estimateSpacing({ positions: Float32Array.from(positions) })).toBeCloseTo(0.5, 5);
});

test.each([0, 0.02, 0.1])('the noise of a small ball is its own, not its curvature: %f mm', (sigma) => {
  const random = createRandom(8);
  const ball = spherePoints(30_000, 15);
  const noisy = ball.map(() => 0) as Float32Array;
  for (let i = 0; i < ball.length; i += 3) {
    const out = 1 + (sigma * gaussian(random)) / 15;
    for (let k = 0; k < 3; k++) noisy[i + k] = ball[i + k] * out;
  }
  // Points 0.28 mm apart on a radius of 15 mm: over 1.1 mm the ball falls off a plane by 0.04 mm.
  const noise = estimateNoise({ positions: noisy }, estimateSpacing({ positions: ball }));
  expect(Math.abs(noise - sigma)).toBeLessThan(0.05 * sigma + 0.001);
});

test('noise is found however small and close the points are', () => {
  const random = createRandom(9);
  const ball = spherePoints(30_000, 0.5);
  for (let i = 0; i < ball.length; i += 3) {
    const out = 1 + 0.002 * gaussian(random);
    for (let k = 0; k < 3; k++) ball[i + k] *= out;
  }
  expect(estimateNoise({ positions: ball }, estimateSpacing({ positions: ball }))).toBeCloseTo(0.001, 4);
});

test('noise is not known of points that lie too far apart, or in a line', () => {
  expect(estimateNoise({ positions: spherePoints(8, 10) }, 5)).toBeNaN();
  const line = Float32Array.from({ length: 300 }, (_, i) => (i % 3 === 0 ? i / 3 : 0));
  expect(estimateNoise({ positions: line }, 1)).toBeNaN();
});

test('normals of a sphere point outwards to the viewpoints, and the noise is found', () => {
  const positions = spherePoints(60_000, 40, 0.05);
  const eyes: [number, number, number][] = [
    [300, 0, 0],
    [-300, 0, 0],
    [0, 300, 0],
    [0, -300, 0],
    [0, 0, 300],
    [0, 0, -300],
  ];
  const { normals, noise } = estimateNormals({ positions }, eyes, {}, ctx);
  let worst = 1;
  for (let i = 0; i < positions.length; i += 3) {
    const r = Math.hypot(positions[i], positions[i + 1], positions[i + 2]);
    worst = Math.min(
      worst,
      (normals[i] * positions[i] + normals[i + 1] * positions[i + 1] + normals[i + 2] * positions[i + 2]) / r,
    );
  }
  expect(worst).toBeGreaterThan(0.95);
  expect(noise).toBeGreaterThan(0.04);
  expect(noise).toBeLessThan(0.12);
});

test('thinning keeps the mean and one point a cube', () => {
  const positions = spherePoints(20_000, 30);
  const { cloud, weights } = thinByVoxel({ positions }, 4);
  expect(weights.reduce((a, b) => a + b, 0)).toBe(20_000);
  const { min } = boundsOf(positions);
  const cubes = new Set<string>();
  for (let i = 0; i < positions.length; i += 3)
    cubes.add([0, 1, 2].map((k) => Math.floor((positions[i + k] - min[k]) / 4)).join());
  expect(cloud.positions.length / 3).toBe(cubes.size);
  const mean = (a: Float32Array, w?: Uint32Array): number =>
    a.reduce((s, v, i) => s + (i % 3 === 0 ? v * (w ? w[i / 3] : 1) : 0), 0) / 20_000;
  expect(mean(cloud.positions, weights)).toBeCloseTo(mean(positions), 3);
});

test('stray points and small pieces go, the object stays', () => {
  const random = createRandom(3);
  const object = spherePoints(5000, 20);
  const strays = Float32Array.from({ length: 3 * 60 }, () => 200 * random() - 100);
  const crumb = spherePoints(40, 1).map((v, i) => v + (i % 3 === 0 ? 60 : 0));
  const positions = Float32Array.from([...object, ...strays, ...crumb]);
  // The crumb has 0.8 % of the object's points: what counts as small is for the user to say.
  const kept = removeStrayPoints({ positions }, [], { pieceRatio: 0.002 }, ctx).keep;
  expect(kept.subarray(5060).reduce((a, b) => a + b, 0)).toBe(40);
  const r = removeStrayPoints({ positions }, [], { pieceRatio: 0.02 }, ctx);
  expect(r.keep.subarray(0, 5000).reduce((a, b) => a + b, 0)).toBeGreaterThan(4990);
  expect(r.keep.subarray(5000, 5060).reduce((a, b) => a + b, 0)).toBeLessThan(6);
  expect(r.keep.subarray(5060).reduce((a, b) => a + b, 0)).toBe(0);
});

describe('support', () => {
  const random = createRandom(5);
  const table: number[] = [];
  for (let i = 0; i < 6000; i++) table.push(240 * random() - 120, 240 * random() - 120, 0.05 * gaussian(random));
  const ball = spherePoints(6000, 30);
  const object = [...ball].map((v, i) => (i % 3 === 2 ? v + 34 : v));

  test('a table under the object is found with its height and removed', () => {
    const r = removeSupportPlane({ positions: Float32Array.from([...table, ...object]) }, [[0, -300, 300]], {}, ctx);
    expect(r.plane).toBeDefined();
    expect(Math.abs(r.plane!.normal[2])).toBeGreaterThan(0.9999);
    expect(r.keep.subarray(0, 6000).reduce((a, b) => a + b, 0)).toBe(0);
    expect(r.keep.subarray(6000).reduce((a, b) => a + b, 0)).toBe(6000);
  });

  test('a wavy cloth goes whole, and nothing of the object more than a millimetre above it', () => {
    const cloth = (x: number, y: number): number => 1.5 * Math.sin(x / 30) + 1.5 * Math.cos(y / 35);
    const points: number[] = [];
    const above: number[] = [];
    for (let i = 0; i < 40_000; i++) {
      const [x, y] = [240 * random() - 120, 240 * random() - 120];
      if (Math.hypot(x, y) < 40) continue;
      points.push(x, y, cloth(x, y) + 0.1 * gaussian(random));
      above.push(NaN);
    }
    // A drum that stands on it, its wall from the cloth up.
    for (let i = 0; i < 15_000; i++) {
      const a = 2 * Math.PI * random();
      const [x, y, h] = [40 * Math.cos(a), 40 * Math.sin(a), 60 * random()];
      points.push(x, y, cloth(x, y) + h);
      above.push(h);
    }
    const r = removeSupportPlane({ positions: Float32Array.from(points) }, [[0, -300, 300]], {}, ctx);
    const of = (is: (h: number) => boolean): number[] => above.flatMap((h, i) => (is(h) ? [r.keep[i]] : []));
    const share = (kept: number[]): number => kept.reduce((s, k) => s + k, 0) / kept.length;
    expect(share(of((h) => Number.isNaN(h)))).toBeLessThan(0.001);
    // Its clearance reaches 1.5 spacings (about 1.2 mm) up.
    expect(share(of((h) => h > 2))).toBe(1);
  });

  test('a board with a lower bench beside it goes only when asked to', () => {
    const points: number[] = [];
    for (let i = 0; i < 20_000; i++) {
      const [x, y] = [260 * random() - 130, 260 * random() - 130];
      points.push(x, y, (x > 70 ? -25 : 0) + 0.05 * gaussian(random));
    }
    const scene = { positions: Float32Array.from([...points, ...object]) };
    expect(removeSupportPlane(scene, [[0, -300, 300]], {}, ctx).plane).toBeUndefined();
    const r = removeSupportPlane(scene, [[0, -300, 300]], { lowerLevels: true }, ctx);
    expect(r.keep.subarray(0, 20_000).reduce((a, b) => a + b, 0)).toBe(0);
    expect(r.keep.subarray(20_000).reduce((a, b) => a + b, 0)).toBe(6000);
  });

  test('a flat face of the object itself is no support', () => {
    // A square plate seen from above with a rim below it: everything else lies behind the plane.
    const plate: number[] = [];
    for (let i = 0; i < 6000; i++) plate.push(80 * random() - 40, 80 * random() - 40, 50);
    for (let i = 0; i < 3000; i++) plate.push(40, 80 * random() - 40, 50 * random());
    const r = removeSupportPlane({ positions: Float32Array.from(plate) }, [[100, 0, 400]], {}, ctx);
    expect(r.plane).toBeUndefined();
    expect(r.removed).toBe(0);
  });
});

test('descriptors do not depend on the pose', () => {
  const positions = spherePoints(600, 20).map((v, i) => (i % 3 === 0 ? v * 1.6 : v));
  const normals = estimateNormals({ positions }, [[0, 0, 500]], { radius: 6 }, ctx).normals;
  const turn = (a: Float32Array): Float32Array =>
    a.map((_, i) => (i % 3 === 0 ? -a[i + 1] : i % 3 === 1 ? a[i - 1] : a[i]));
  const a = computeFpfh({ positions, normals }, 8);
  const b = computeFpfh({ positions: turn(positions), normals: turn(normals) }, 8);
  let difference = 0;
  for (let i = 0; i < a.length; i++) difference += Math.abs(a[i] - b[i]);
  expect(difference / (a.length / FPFH_SIZE)).toBeLessThan(1);
  const one = a.subarray(0, 11).reduce((s, v) => s + v, 0);
  expect(one).toBeCloseTo(100, 1);
});

test('seen from one place, a surface at a flat angle is whole; what hangs before it is not', () => {
  // A depth camera at the origin, one point a pixel of 1/300 rad, sees a wall at 400 mm and below it a floor that comes
  // towards it at 78°: z = 400 / (1 + 4.6 y / z), so 4.6 mm of depth for every mm across.
  const seen: number[] = [];
  for (let v = -60; v < 24; v++) {
    for (let u = -60; u < 60; u++) {
      const [x, y] = [u / 300, v / 300];
      const z = v < 0 ? 400 : 400 / (1 + 4.6 * y);
      seen.push(x * z, y * z, z);
    }
  }
  const strays = [30, -40, 150, -20, 30, 180, 0, 5, 220];
  const positions = Float32Array.from([...seen, ...strays]);
  const n = positions.length / 3;
  const keepAll = { densityRatio: 0.25, pieceRatio: 0 };
  const { keep } = removeStrayPoints({ positions }, [[0, 0, 0]], keepAll, ctx);
  expect(Array.from(keep.slice(n - 3))).toEqual([0, 0, 0]);
  expect(keep.slice(0, n - 3).filter((k) => !k).length / (n - 3)).toBeLessThan(0.002);
  // Without knowing from where it was seen the floor looks sparse.
  const blind = removeStrayPoints({ positions }, [], keepAll, ctx);
  expect(blind.keep.slice(0, n - 3).filter((k) => !k).length / (n - 3)).toBeGreaterThan(0.1);
});

test('descriptors do not depend on how the cloud is turned, at the radius that registration uses', () => {
  // Points on a bumpy ball, thinned as registration thins: one in a cell of 2 mm, described to 5.5 cells around.
  const positions: number[] = [];
  const normals: number[] = [];
  const random = createRandom(3);
  for (let i = 0; i < 12_000; i++) {
    const [z, phi] = [2 * random() - 1, 2 * Math.PI * random()];
    const r = 30 * (1 + 0.12 * Math.sin(3 * phi) * (1 - z * z));
    const s = Math.sqrt(1 - z * z);
    positions.push(r * s * Math.cos(phi), r * s * Math.sin(phi), r * z);
    normals.push(s * Math.cos(phi), s * Math.sin(phi), z);
  }
  const cloud = { positions: Float32Array.from(positions), normals: Float32Array.from(normals) };
  const thin = thinByVoxel(cloud, 2).cloud;
  const turn = fromAxisAngle([0.3, -0.8, 0.5], 1.1);
  const turned = { positions: transformPoints(turn, thin.positions), normals: transformPoints(turn, thin.normals!) };
  const [a, b] = [computeFpfh(thin, 11), computeFpfh(turned, 11)];
  const apart = (x: Float32Array, i: number, y: Float32Array, j: number): number => {
    let sum = 0;
    for (let k = 0; k < FPFH_SIZE; k++) sum += (x[FPFH_SIZE * i + k] - y[FPFH_SIZE * j + k]) ** 2;
    return Math.sqrt(sum);
  };
  const n = thin.positions.length / 3;
  let moved = 0;
  let others = 0;
  for (let i = 0; i < n; i++) {
    moved += apart(a, i, b, i);
    others += apart(a, i, a, (i * 7919) % n);
  }
  // Only rounding at the bins' borders is left.
  expect(moved / others).toBeLessThan(0.01);
  const some = Uint32Array.of(5, 77, 3);
  const chosen = computeFpfh(thin, 11, some);
  some.forEach((i, o) => expect(chosen.subarray(33 * o, 33 * o + 33)).toEqual(a.subarray(33 * i, 33 * i + 33)));
});

test('normals of a dense cloud do not depend on how it is turned', () => {
  const random = createRandom(8);
  const positions = Float32Array.from({ length: 60_000 }, (_, i) => (i % 3 === 2 ? 0.2 * random() : 20 * random()));
  const turn = fromAxisAngle([0.6, 0.2, -0.7], 0.9);
  const from = (p: Float32Array): Float32Array => estimateNormals({ positions: p }, [], { radius: 1.5 }, ctx).normals;
  const [flat, turned] = [transformPoints(turn, from(positions)), from(transformPoints(turn, positions))];
  let worst = 1;
  for (let i = 0; i < flat.length; i += 3)
    worst = Math.min(worst, Math.abs(flat[i] * turned[i] + flat[i + 1] * turned[i + 1] + flat[i + 2] * turned[i + 2]));
  expect(worst).toBeGreaterThan(0.9999);
});

test.each([1, 20])('the spacing of a cloud stays what it is beside %d points 10 m away', (far) => {
  const random = createRandom(2);
  for (const n of [5000, 30_000, 250_000]) {
    const positions = Float32Array.from({ length: 3 * n }, (_, i) => (i % 3 === 2 ? 0 : 100 * random()));
    const alone = estimateSpacing({ positions });
    const beside = positions.slice();
    for (let k = 0; k < far; k++)
      beside.set([10_000 * random(), 10_000, -9000 * random()], 3 * Math.floor(n * random()));
    expect(estimateSpacing({ positions: beside }) / alone).toBeCloseTo(1, 1);
  }
});

test('the spacing of a dense cloud in a wide box is not that of its box', () => {
  // A fine patch, and a tenth of the points spread over a hall.
  const random = createRandom(6);
  const n = 40_000;
  const positions = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const wide = random() < 0.1;
    for (let k = 0; k < 3; k++) positions[3 * i + k] = wide ? 8000 * random() : k === 2 ? 0 : 100 * random();
  }
  // Random points in a plane, d to the mm²: the median distance to the nearest is 0.47 / √d (closed form, Poisson process).
  expect(estimateSpacing({ positions }) / (0.47 / Math.sqrt((0.9 * n) / 1e4))).toBeCloseTo(1, 0);
});

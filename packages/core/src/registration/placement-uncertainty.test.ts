import type { PointCloud } from '../geometry/point-cloud.js';
import { fromTranslation, identity, type Vec3 } from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { PointGrid } from '../spatial/point-grid.js';
import { freedomsOf } from './freedom.js';
import type { RefinementScan } from './joint-refinement.js';
import { placementUncertainty } from './placement-uncertainty.js';

const NOISE = 0.05;
const OPTIONS = { maxDistance: 0.8, tukey: 100, samples: 1e6 };

/** Two scans of the same points, each with its own noise along exact normals. */
function twice(points: { at: Vec3; normal: Vec3 }[]): RefinementScan[] {
  return [1, 2].map((seed) => {
    const random = createRandom(seed);
    const cloud: PointCloud = {
      positions: Float32Array.from(
        points.flatMap(({ at, normal }) => {
          const off = NOISE * gaussian(random);
          return [at[0] + off * normal[0], at[1] + off * normal[1], at[2] + off * normal[2]];
        }),
      ),
      normals: Float32Array.from(points.flatMap(({ normal }) => normal)),
    };
    const sample = Uint32Array.from(points, (_, i) => i);
    return { cloud, grid: new PointGrid(cloud.positions, 1), sample };
  });
}

/** The second scan's covariance against the first (or the other way round, which is the same). */
function covarianceOf(scans: RefinementScan[], pairs: [number, number][] = [[0, 1]]) {
  const { anchor, uncertainty } = placementUncertainty(scans, [identity(), identity()], pairs, OPTIONS);
  return uncertainty[1 - anchor];
}

const plane = (side: number): { at: Vec3; normal: Vec3 }[] =>
  Array.from({ length: side * side }, (_, i) => ({
    at: [(i % side) - (side - 1) / 2, Math.floor(i / side) - (side - 1) / 2, 0],
    normal: [0, 0, 1],
  }));

const RADIUS = 20;

/** A tube round Z, its points about a millimetre apart. */
const tube = (): { at: Vec3; normal: Vec3 }[] =>
  Array.from({ length: 120 * 40 }, (_, i) => {
    const a = (2 * Math.PI * (i % 120)) / 120;
    return {
      at: [RADIUS * Math.cos(a), RADIUS * Math.sin(a), Math.floor(i / 120) - 19.5],
      normal: [Math.cos(a), Math.sin(a), 0],
    };
  });

/** A ball, its points evenly spread (spiral of R. Swinbank, R. Purser 2006). */
const ball = (): { at: Vec3; normal: Vec3 }[] =>
  Array.from({ length: 5000 }, (_, i) => {
    const z = 1 - (2 * i + 1) / 5000;
    const a = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z);
    const normal: Vec3 = [r * Math.cos(a), r * Math.sin(a), z];
    return { at: [RADIUS * normal[0], RADIUS * normal[1], RADIUS * normal[2]], normal };
  });

// Expected: least squares over N pairs whose distance varies by twice the noise's variance. Along a direction with mean
// squared cosine c to the normals the variance is 2 σ² / (N c); a turn of lever l, 2 σ² / (N mean((l·n)²)).

test('a plane is held along its normal and against tilting, and slides and turns in itself', () => {
  const side = 40;
  const { covariance } = covarianceOf(twice(plane(side)));
  const along = (d: number): number => Math.sqrt(covariance[7 * d]);
  const n = side * side;
  expect(along(5) / Math.sqrt((2 * NOISE ** 2) / n)).toBeCloseTo(1, 1);
  // Mean square of evenly spaced levers one apart: (side² - 1) / 12.
  const tilt = Math.sqrt((2 * NOISE ** 2) / (n * ((side * side - 1) / 12)));
  expect(along(0) / tilt).toBeCloseTo(1, 1);
  expect(along(1) / tilt).toBeCloseTo(1, 1);
  for (const free of [2, 3, 4]) expect(along(free)).toBeGreaterThan(100 * along(5) || 1);
});

test('a tube turns about its axis and slides along it', () => {
  const points = tube();
  const uncertainty = covarianceOf(twice(points));
  const [first, second, third, , ...across] = freedomsOf(uncertainty);
  expect([first, second].map((f) => f.kind).sort()).toEqual(['slide', 'turn']);
  for (const f of [first, second]) expect(Math.abs(f.direction[2])).toBeGreaterThan(0.99);
  expect(third.sigma).toBeLessThan(0.01 * second.sigma);
  // Shifts across come last, tilts having longer levers: half of the squared cosines.
  const held = Math.sqrt((2 * NOISE ** 2) / (0.5 * points.length));
  for (const f of across) {
    expect(f.kind).toBe('slide');
    expect(f.sigma / held).toBeCloseTo(1, 1);
  }
});

test('a ball turns every way about its middle and is held there', () => {
  const points = ball();
  const uncertainty = covarianceOf(twice(points));
  const freedoms = freedomsOf(uncertainty);
  expect(freedoms.slice(0, 3).map((f) => f.kind)).toEqual(['turn', 'turn', 'turn']);
  const held = Math.sqrt((2 * NOISE ** 2) / (points.length / 3));
  for (const f of freedoms.slice(3)) expect(f.sigma / held).toBeCloseTo(1, 1);
});

test('noise of the normals does not hold a plane that slides', () => {
  const random = createRandom(3);
  const scans = twice(plane(60));
  for (const { cloud } of scans) {
    const n = cloud.normals!;
    for (let i = 0; i < n.length; i += 3) {
      const [x, y] = [0.05 * gaussian(random), 0.05 * gaussian(random)];
      const length = Math.hypot(x, y, 1);
      n.set([x / length, y / length, 1 / length], i);
    }
  }
  const { covariance } = covarianceOf(scans);
  // As if the noise were structure it would be about noise / (0.05 √N), a thousandth of the plane's size.
  expect(Math.sqrt(covariance[21])).toBeGreaterThan(10 * (NOISE / (0.05 * 60)));
});

test('what edges alone hold is off by what they err together, what faces hold is not', () => {
  const side = 40;
  const edge = (side + 1) / 2;
  const slope = Math.SQRT1_2;
  const bevels = Array.from({ length: side }, (_, i) => i - (side - 1) / 2).flatMap((along) =>
    [-1, 1].flatMap((to): { at: Vec3; normal: Vec3 }[] => [
      { at: [to * edge, along, -0.5], normal: [to * slope, 0, slope] },
      { at: [along, to * edge, -0.5], normal: [0, to * slope, slope] },
    ]),
  );
  const points = [...plane(side), ...bevels];
  const onFace = Uint8Array.from(points, (_, i) => (i < side * side ? 1 : 0));
  const edgesErr = 0.1;
  const held = twice(points).map((s) => ({ ...s, onFace, edgesErr }));
  const along = (scans: RefinementScan[], d: number): number => Math.sqrt(covarianceOf(scans).covariance[7 * d]);
  // The edges of both scans err, each for itself; levelly on both sides, so that heights do not turn into slides.
  // Their noise comes to it, a little.
  for (const d of [3, 4]) {
    expect(along(held, d) / (Math.SQRT2 * edgesErr)).toBeGreaterThan(1);
    expect(along(held, d) / (Math.SQRT2 * edgesErr)).toBeLessThan(1.15);
  }
  // Edges have 80 of 1680 parts in the height, half of each.
  expect(along(held, 5)).toBeLessThan(0.1 * edgesErr);
  const without = held.map(({ edgesErr: _, ...s }) => s);
  for (const d of [3, 4]) expect(along(without, d)).toBeLessThan(0.6 * edgesErr);
});

test('a scan that overlaps no other may be anywhere within the piece', () => {
  const { covariance, radius } = covarianceOf(twice(plane(20)), []);
  for (const d of [3, 4, 5]) expect(Math.sqrt(covariance[7 * d])).toBeCloseTo(2 * radius, 3);
});

test('a motion known from elsewhere, as from paint, holds what the shape leaves free, and only so well', () => {
  const scans = twice(tube());
  const poses = [identity(), fromTranslation(0, 0, 0)];
  const { anchor } = placementUncertainty(scans, poses, [[0, 1]], OPTIONS);
  const moved = 1 - anchor;
  const turn = { scan: moved, twist: [0, 0, 1 / RADIUS, 0, 0, 0], centre: [0, 0, 0] as Vec3, sigma: 0.2 };
  const { uncertainty } = placementUncertainty(scans, poses, [[0, 1]], OPTIONS, [turn]);
  expect((RADIUS * Math.sqrt(uncertainty[moved].covariance[14])) / 0.2).toBeCloseTo(1, 1);
});

test('slides that only the edges of flat faces hold are less sure than their many points say', () => {
  // Bevels all round a plate hold its slides.
  const side = 40;
  const bevel = Array.from({ length: 4 * side }, (_, k): { at: Vec3; normal: Vec3 } => {
    const [edge, along] = [k % 4, Math.floor(k / 4) - side / 2];
    const out: Vec3 = [
      [1, 0, 0],
      [-1, 0, 0],
      [0, 1, 0],
      [0, -1, 0],
    ][edge] as Vec3;
    const at = out.map((v, c) => v * 21 + (out[c] === 0 && c < 2 ? along : 0)) as Vec3;
    return { at: [at[0], at[1], -1], normal: [out[0] * Math.SQRT1_2, out[1] * Math.SQRT1_2, Math.SQRT1_2] };
  });
  const points = [...plane(side), ...bevel];
  const scans = twice(points);
  const onFace = Uint8Array.from(points, (_, i) => (i < side * side ? 1 : 0));
  const marked = scans.map((s) => ({ ...s, onFace }));
  const deviation = (list: RefinementScan[], d: number): number => Math.sqrt(covarianceOf(list).covariance[7 * d]);
  for (const slide of [3, 4]) {
    expect(deviation(marked, slide) / deviation(scans, slide)).toBeGreaterThan(4.5);
    expect(deviation(marked, slide) / deviation(scans, slide)).toBeLessThan(5.5);
  }
  expect(deviation(marked, 5) / deviation(scans, 5)).toBeCloseTo(1, 1);
});

test('how well a scan is held does not depend on its size', () => {
  // A tube with lids, held everywhere; the same ten times smaller and larger, its noise too.
  const lids = [-20, 20].flatMap((z) =>
    plane(25).map(({ at, normal }) => ({
      at: [at[0], at[1], z] as Vec3,
      normal: [0, 0, Math.sign(z) * normal[2]] as Vec3,
    })),
  );
  const scans = twice([...tube(), ...lids]);
  const way = (size: number): number[] => {
    const scaled = scans.map((s) => {
      const positions = s.cloud.positions.map((v) => v * size);
      return { ...s, cloud: { ...s.cloud, positions }, grid: new PointGrid(positions, size) };
    });
    const options = { ...OPTIONS, maxDistance: size * OPTIONS.maxDistance, tukey: size * OPTIONS.tukey };
    const twist = [0, 0, 1 / (RADIUS * size), 0, 0, 0];
    const known = [{ scan: 1, twist, centre: [5 * size, 0, 0] as Vec3, sigma: 0.02 * size }];
    const { anchor, uncertainty } = placementUncertainty(scaled, [identity(), identity()], [[0, 1]], options, known);
    return freedomsOf(uncertainty[1 - anchor]).map((f) => f.sigma / size);
  };
  const usual = way(1);
  for (const size of [0.1, 10]) way(size).forEach((v, k) => expect(v / usual[k]).toBeCloseTo(1, 1));
});

import {
  createRandom,
  fromAxisAngle,
  fromTranslation,
  gaussian,
  multiply,
  rotateVector,
  transformPoint,
  type Mat4,
  type Random,
  type Vec3,
} from '../math/index.js';
import {
  angleBetweenLines,
  distanceFromAxis,
  fitShape,
  type MeasuredPoints,
  type Shape,
  type ShapeKind,
} from './index.js';

/** Points on a shape about z, seen from one side only: a place in space and the normal there, from two uniform numbers. */
type Sampler = (a: number, b: number) => { at: Vec3; normal: Vec3 };

const CONE = 0.35;
const half: Record<Exclude<ShapeKind, 'circle'>, Sampler> = {
  plane: (a, b) => ({ at: [80 * a - 40, 50 * b - 25, 0], normal: [0, 0, 1] }),
  sphere: (a, b) => {
    const [t, z] = [Math.PI * a, 2 * b - 1];
    const s = Math.sqrt(1 - z * z);
    const n: Vec3 = [s * Math.cos(t), s * Math.sin(t), z];
    return { at: n.map((c) => 20 * c) as Vec3, normal: n };
  },
  cylinder: (a, b) => {
    const n: Vec3 = [Math.cos(Math.PI * a), Math.sin(Math.PI * a), 0];
    return { at: [30 * n[0], 30 * n[1], 50 * b - 25], normal: n };
  },
  cone: (a, b) => {
    const z = 50 * b - 25;
    const r = 25 + z * Math.tan(CONE);
    const [c, s] = [Math.cos(Math.PI * a), Math.sin(Math.PI * a)];
    return { at: [r * c, r * s, z], normal: [c * Math.cos(CONE), s * Math.cos(CONE), -Math.sin(CONE)] };
  },
  torus: (a, b) => {
    const [c, s] = [Math.cos(Math.PI * a), Math.sin(Math.PI * a)];
    const t = 2 * Math.PI * b;
    const n: Vec3 = [Math.cos(t) * c, Math.cos(t) * s, Math.sin(t)];
    return { at: [30 * c + 8 * n[0], 30 * s + 8 * n[1], 8 * n[2]], normal: n };
  },
};

const AWAY = multiply(fromTranslation(120, -40, 60), fromAxisAngle([0.48, 0.6, 0.64], 1.1));
const TRUE_AXIS = rotateVector(AWAY, 0, 0, 1);
const TRUE_AT = transformPoint(AWAY, 0, 0, 0);

function measured(sample: Sampler, n: number, noise: number, random: Random, place: Mat4 = AWAY): MeasuredPoints {
  const positions = new Float32Array(3 * n);
  const normals = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const { at, normal } = sample(random(), random());
    const e = noise > 0 ? noise * gaussian(random) : 0;
    const off = at.map((c, k) => c + e * normal[k]) as Vec3;
    positions.set(transformPoint(place, ...off), 3 * i);
    // Normals of a noisy scan are rough: 0.15 rad.
    const rough = normal.map((c) => c + (noise > 0 ? 0.15 * gaussian(random) : 0)) as Vec3;
    const length = Math.hypot(...rough);
    normals.set(rotateVector(place, rough[0] / length, rough[1] / length, rough[2] / length), 3 * i);
  }
  return { positions, normals };
}

/** Errors of a fit against the truth, each with its standard uncertainty: lengths mm, angles radians. */
function errorsOf(
  kind: ShapeKind,
  shape: Shape,
  sigma: ReturnType<typeof fitShape>['uncertainty'],
): [string, number, number][] {
  const axis: [string, number, number] = ['axis', angleBetweenLines(shape.axis, TRUE_AXIS), sigma.axisRad];
  if (kind === 'plane')
    return [axis, ['at', shape.axis.reduce((s, c, k) => s + TRUE_AXIS[k] * (shape.at[k] - TRUE_AT[k]), 0), sigma.at]];
  const away = Math.hypot(...shape.at.map((c, k) => c - TRUE_AT[k]));
  if (kind === 'sphere')
    return [
      ['at', away, sigma.at],
      ['radius', shape.radius - 20, sigma.radius],
    ];
  if (kind === 'torus')
    return [
      axis,
      ['at', away, sigma.at],
      ['radius', shape.radius - 30, sigma.radius],
      ['tube', shape.tubeRadius - 8, sigma.tubeRadius],
    ];
  const across = distanceFromAxis({ at: TRUE_AT, axis: TRUE_AXIS }, shape.at);
  const along = shape.at.reduce((s, c, k) => s + TRUE_AXIS[k] * (c - TRUE_AT[k]), 0);
  const flipped = shape.axis.reduce((s, c, k) => s + c * TRUE_AXIS[k], 0) < 0 ? -1 : 1;
  const radius = kind === 'cone' ? 25 + along * Math.tan(CONE) : 30;
  return [
    axis,
    ['at', across, sigma.at],
    ['radius', shape.radius - radius, sigma.radius],
    ...(kind === 'cone'
      ? [['half angle', flipped * shape.halfAngle - CONE, sigma.halfAngleRad] as [string, number, number]]
      : []),
  ];
}

const KINDS = Object.keys(half) as Exclude<ShapeKind, 'circle'>[];

// Closed forms: the points lie on the shape to the last digit of a float.
test.each(KINDS)('a %s without noise is found as it is', (kind) => {
  const fit = fitShape(kind, measured(half[kind], 3000, 0, createRandom(3)));
  for (const [, error] of errorsOf(kind, fit.shape, fit.uncertainty)) expect(Math.abs(error)).toBeLessThan(1e-5);
  expect(fit.rms).toBeLessThan(1e-5);
  expect(fit.converged).toBe(true);
});

test.each(KINDS)('a %s seen by half with noise of 0.1 mm lies within what is said of it in nine of ten', (kind) => {
  const within = new Map<string, number>();
  for (let seed = 1; seed <= 100; seed++) {
    const fit = fitShape(kind, measured(half[kind], 1500, 0.1, createRandom(seed)));
    for (const [name, error, sigma] of errorsOf(kind, fit.shape, fit.uncertainty))
      within.set(name, (within.get(name) ?? 0) + (Math.abs(error) <= 2 * sigma ? 1 : 0));
  }
  for (const [name, count] of within) expect([name, count >= 90 || count]).toEqual([name, true]);
});

test.each(KINDS)('a %s seen by half every 0.5 mm with noise of 0.1 mm is right within 0.02 mm and 0.02°', (kind) => {
  for (let seed = 1; seed <= 4; seed++) {
    const fit = fitShape(kind, measured(half[kind], 18_000, 0.1, createRandom(seed)));
    expect(Math.abs(fit.rms - 0.1)).toBeLessThan(0.003);
    for (const [name, error] of errorsOf(kind, fit.shape, fit.uncertainty)) {
      const limit = name === 'axis' || name === 'half angle' ? (0.02 * Math.PI) / 180 : 0.02;
      expect([name, Math.abs(error) <= limit || error]).toEqual([name, true]);
    }
  }
});

test('what lies off the shape by more than noise does not move it', () => {
  const random = createRandom(5);
  const points = measured(half.cylinder, 4000, 0.1, random);
  // A fifth of the points belongs to a boss that stands out by 1 to 4 mm.
  for (let i = 0; i < 800; i++) {
    const out = 1 + 3 * random();
    for (let k = 0; k < 3; k++) points.positions[3 * i + k] += out * points.normals[3 * i + k];
  }
  const fit = fitShape('cylinder', points);
  expect(Math.abs(fit.shape.radius - 30)).toBeLessThan(0.03);
  expect(fit.used).toBeGreaterThan(3150);
  expect(fit.used).toBeLessThan(3220);
});

test('strays on one side pull the shape, and the uncertainty says so', () => {
  let within = 0;
  for (let seed = 1; seed <= 50; seed++) {
    const random = createRandom(seed);
    const points = measured(half.cylinder, 2500, 0.1, random);
    for (let i = 0; i < 500; i++) {
      const out = 4 * random();
      for (let k = 0; k < 3; k++) points.positions[3 * i + k] += out * points.normals[3 * i + k];
    }
    const { shape, uncertainty } = fitShape('cylinder', points);
    if (Math.abs(shape.radius - 30) <= 2 * uncertainty.radius) within++;
  }
  expect(within).toBeGreaterThanOrEqual(45);
});

test('errors that neighbours have in common make a fit less sure than their number says', () => {
  const random = createRandom(8);
  const independent = measured(half.sphere, 6000, 0.1, random);
  const together = measured(half.sphere, 6000, 0, random);
  // Bumps of 0.1 mm about 6 mm wide, all along the surface.
  for (let i = 0; i < 18_000; i += 3) {
    const [x, y, z] = together.positions.subarray(i, i + 3);
    const bump = 0.14 * Math.sin(x) * Math.cos(y) + 0.1 * Math.sin(z + x / 2);
    for (let k = 0; k < 3; k++) together.positions[i + k] += bump * together.normals[i + k];
  }
  const [a, b] = [independent, together].map((p) => fitShape('sphere', p));
  expect(b.uncertainty.radius).toBeGreaterThan(2 * a.uncertainty.radius);
  expect(a.uncertainty.radius).toBeLessThan(0.005);
});

test('what points are expected to be wrong by counts where their scatter does not show it', () => {
  const points = measured(half.sphere, 3000, 0.01, createRandom(2));
  const sure = fitShape('sphere', points);
  const unsure = fitShape('sphere', { ...points, expectedErrors: new Float32Array(3000).fill(0.05) });
  expect(unsure.shape.radius).toBeCloseTo(sure.shape.radius, 6);
  expect(unsure.uncertainty.radius).toBeGreaterThan(0.045);
  expect(unsure.uncertainty.radius).toBeLessThan(0.06);
});

test('a circle goes through points as the published example says', () => {
  // W. Gander, G. Golub, R. Strebel (1994), Least-squares fitting of circles and ellipses, first example: points and the
  // circle with the least distances; the figures are from memory.
  const flat = [1, 7, 2, 6, 5, 8, 7, 7, 9, 5, 3, 7];
  // The function asks for three points a freedom, and leaves outliers out: each point counts twice, and none is far off.
  const twice = [...flat, ...flat];
  const positions = Float32Array.from({ length: 36 }, (_, i) =>
    i % 3 === 2 ? 0 : twice[2 * Math.floor(i / 3) + (i % 3)],
  );
  const fit = fitShape('circle', { positions, normals: new Float32Array(36) }, [0, 0, 1]);
  expect(fit.used).toBe(12);
  expect(fit.shape.at[0]).toBeCloseTo(4.7398, 3);
  expect(fit.shape.at[1]).toBeCloseTo(2.9835, 3);
  expect(fit.shape.radius).toBeCloseTo(4.7142, 3);
});

test('points that leave a shape open are refused with a word', () => {
  const line = Float32Array.from({ length: 300 }, (_, i) => (i % 3 === 0 ? i : 0));
  const up = Float32Array.from({ length: 300 }, (_, i) => (i % 3 === 2 ? 1 : 0));
  for (const kind of ['sphere', 'cylinder', 'torus'] as const)
    expect(() => fitShape(kind, { positions: line, normals: up })).toThrow(/open/);
  expect(() => fitShape('cone', { positions: line.subarray(0, 30), normals: up.subarray(0, 30) })).toThrow(/18 points/);
});

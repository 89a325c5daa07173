import type { Scan } from '../geometry/index.js';
import { createRandom, gaussian, identity } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { gatherPoints, PATCH_MANNER, PatchFitter, type MeasuredPoints } from './index.js';

const ctx = createRunContext();

/** Points of z = f(x, y) over a square of 20 mm, seen from above. */
function pointsOf(f: (x: number, y: number) => number, noise: number, seed: number, eye = 300): MeasuredPoints {
  const random = createRandom(seed);
  const positions = new Float32Array(3 * 10_000);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y] = [20 * random() - 10, 20 * random() - 10];
    positions.set([x, y, f(x, y) + noise * gaussian(random)], i);
  }
  const scan: Scan = { name: 'a', cloud: { positions }, viewpoints: [[0, 0, eye]] };
  const placement = { name: 'a', state: 'registered' as const, pieceFromScan: identity() };
  const points = gatherPoints([{ scan, placement }], ctx);
  // What learning would find.
  if (noise > 0) points.variance.fill(noise * noise);
  return points;
}

/** The measured point next to (x, 0). */
function pointNear(x: number, { positions: p, count }: MeasuredPoints): number {
  let best = 0;
  for (let i = 1; i < count; i++)
    if (Math.hypot(p[3 * i] - x, p[3 * i + 1]) < Math.hypot(p[3 * best] - x, p[3 * best + 1])) best = i;
  return best;
}

function fitAt(points: MeasuredPoints, manner = PATCH_MANNER, x = 0): PatchFitter {
  const fitter = new PatchFitter(points, manner);
  expect(fitter.start(pointNear(x, points)) && fitter.fit(2, true) && fitter.fit(Infinity, false)).toBe(true);
  expect(fitter.describe()).toBe(true);
  return fitter;
}

/** Height of the fitted patch over the plane z = 0 where its own normal meets it; the surfaces here are level at (0, 0). */
const heightOf = ({ frame, c }: PatchFitter): number => frame.z + c[0] * frame.nz;

test('a parabola without noise is met where it is', () => {
  const points = pointsOf((x, y) => 0.02 * x * x - 0.01 * y * y + 0.015 * x * y, 0, 1);
  const fitter = fitAt(points);
  const { x, y } = fitter.frame;
  expect(heightOf(fitter)).toBeCloseTo(0.02 * x * x - 0.01 * y * y + 0.015 * x * y, 3);
  // Curvatures, whatever the directions across: their sum and product are the surface's own (2 · coefficients).
  expect(2 * (fitter.c[3] + fitter.c[5])).toBeCloseTo(0.02, 3);
});

describe('on a plane with 0.1 mm of noise', () => {
  const runs = (agreement: number): { off: number; expected: number } => {
    const rms = (v: number[]): number => Math.sqrt(v.reduce((s, x) => s + x * x, 0) / v.length);
    const fitters = Array.from({ length: 60 }, (_, seed) => {
      const points = pointsOf(() => 0, 0.1, seed + 1);
      return fitAt(points, { ...PATCH_MANNER, agreement });
    });
    return { off: rms(fitters.map(heightOf)), expected: rms(fitters.map((f) => f.sigma)) };
  };

  test('the largest fit strays as far as it expects', () => {
    const { off, expected } = runs(Infinity);
    // Of a sample of 60 the spread itself is known to a tenth; three times that.
    expect(off / expected).toBeGreaterThan(0.7);
    expect(off / expected).toBeLessThan(1.35);
    // 320 points by a kernel of (1 − d²)²: 0.1 · √(2.5 · 9/5 / 320), the factor 2.5 for the quadratic terms.
    expect(expected).toBeLessThan(0.02);
  });

  test('choosing the size by the same points costs at most twice that', () => {
    const { off, expected } = runs(PATCH_MANNER.agreement);
    expect(off / expected).toBeLessThan(2);
  });
});

test('ripples of 2 mm in length and 0.2 mm in height are kept: met within a fifth of it, at 0.06 mm of noise', () => {
  const ripple = (x: number): number => 0.2 * Math.cos(Math.PI * x);
  const off = Array.from({ length: 20 }, (_, seed) => {
    const fitter = fitAt(pointsOf(ripple, 0.06, seed + 1));
    return heightOf(fitter) - ripple(fitter.frame.x);
  });
  expect(Math.sqrt(off.reduce((s, v) => s + v * v, 0) / off.length)).toBeLessThan(0.04);
});

test('beside the ridge of a roof the patch lies on one face', () => {
  const { frame: f, c } = fitAt(
    pointsOf((x) => -1.2 * Math.abs(x), 0.05, 3),
    PATCH_MANNER,
    1,
  );
  const normal = [f.nx - c[1] * f.ux - c[2] * f.vx, f.nz - c[1] * f.uz - c[2] * f.vz];
  expect(normal[0] / normal[1]).toBeGreaterThan(1.1);
  expect(normal[0] / normal[1]).toBeLessThan(1.3);
  expect(Math.abs(c[3]) + Math.abs(c[5])).toBeLessThan(0.05);
});

test('points seen from the other side take no part', () => {
  const points = pointsOf(() => 0, 0.05, 4);
  const fitter = new PatchFitter(points, PATCH_MANNER);
  fitter.frame.moveTo(0, 0, 0);
  fitter.frame.turnTo(0, 0, -1);
  expect(fitter.fit(2, false)).toBe(false);
  expect(fitter.near).toBe(0);
});

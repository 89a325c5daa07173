import type { Scan } from '../geometry/index.js';
import { createRandom, fromTwist, gaussian, identity, invertRigid, multiply, type Mat4 } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { polishByPaint } from './paint-polish.js';
import { prepareScan } from './prepare-scan.js';

const scale = { coarse: 4, fine: 1.2 };
const evidenceScale = { cell: scale.fine, noise: 0.03 };

/** Speckles all over a plate, the same in every scan of it: light where there are many. */
const random = createRandom(11);
const speckles = Array.from({ length: 700 }, () => [70 * (random() - 0.5), 70 * (random() - 0.5)]);
const speckled = (x: number, y: number): number =>
  speckles.reduce((sum, [sx, sy]) => sum + 60 * Math.exp(-((x - sx) ** 2 + (y - sy) ** 2) / 2.5), 60);

/** A flat plate, 60 mm square, seen from above: its own points, noise and colour noise. */
function plate(name: string, seed: number, paint: (x: number, y: number) => number): Scan {
  const own = createRandom(seed);
  const positions: number[] = [];
  const colors: number[] = [];
  for (let i = 0; i < 9000; i++) {
    const [x, y] = [60 * (own() - 0.5), 60 * (own() - 0.5)];
    positions.push(x, y, 0.03 * gaussian(own));
    const v = Math.max(0, Math.min(255, paint(x, y) + 4 * gaussian(own)));
    colors.push(v, v, v);
  }
  const cloud = { positions: Float32Array.from(positions), colors: Uint8Array.from(colors) };
  return { name, cloud, viewpoints: [[0, 0, 400]] };
}

const prepared = (paint: (x: number, y: number) => number) =>
  [3, 4].map((seed) => prepareScan(plate(`p${seed}`, seed, paint), scale, seed, createRunContext()));

/** By how much, in mm, the middle of the plate and a point of its rim are off. */
function off(pose: Mat4): [number, number] {
  const at = (x: number, y: number): number =>
    Math.hypot(
      pose[0] * x + pose[4] * y + pose[12] - x,
      pose[1] * x + pose[5] * y + pose[13] - y,
      pose[2] * x + pose[6] * y + pose[14],
    );
  return [at(0, 0), at(30, 0)];
}

const slid = fromTwist(0, 0, 0.012, 0.6, -0.5, 0);

test('paint holds a flat plate in all three ways that it could slide and turn', () => {
  const poses: (Mat4 | undefined)[] = [identity(), slid];
  const known = polishByPaint(prepared(speckled), poses, [0], evidenceScale, createRunContext());
  const before = off(slid);
  const after = off(multiply(invertRigid(poses[0]!), poses[1]!));
  expect(before[0]).toBeGreaterThan(0.7);
  expect(after[0]).toBeLessThan(0.1);
  expect(after[1]).toBeLessThan(0.1);
  expect(known).toHaveLength(3);
  for (const { scan, sigma } of known) {
    expect(scan).toBe(1);
    expect(sigma).toBeLessThan(0.15);
  }
});

test('an evenly painted plate stays where it is, and nothing is said to be known', () => {
  const poses: (Mat4 | undefined)[] = [identity(), slid];
  expect(
    polishByPaint(
      prepared(() => 120),
      poses,
      [0],
      evidenceScale,
      createRunContext(),
    ),
  ).toEqual([]);
  expect(poses[1]).toBe(slid);
});

import type { Scan } from '../geometry/scan.js';
import { fromTranslation, identity } from '../math/mat4.js';
import { createRunContext } from '../runtime/run-context.js';
import { isHeld, scansAtOdds } from './placement-checks.js';
import { prepareScan } from './prepare-scan.js';

/** A wavy patch 60 mm wide, seen from 300 mm above its middle. */
function patch(name: string): Scan {
  const positions: number[] = [];
  for (let x = -30; x <= 30; x++)
    for (let y = -30; y <= 30; y++) positions.push(x, y, 2 * Math.sin(x / 6) * Math.cos(y / 7));
  return { name, cloud: { positions: Float32Array.from(positions) }, viewpoints: [[0, 0, 300]] };
}

const SCALE = { coarse: 3, fine: 1.5 };
const EVIDENCE = { cell: 1.5, noise: 0.05 };
const scans = ['a', 'b', 'c', 'd'].map((name, i) => prepareScan(patch(name), SCALE, i + 1, createRunContext()));

test('a scan that three others looked through is blamed, and they are not', () => {
  const inPlace = scans.map(() => identity());
  expect(scansAtOdds(scans, inPlace, 0, EVIDENCE).size).toBe(0);
  // It stands 60 mm before the surface that the others see.
  const before = [identity(), identity(), identity(), fromTranslation(0, 0, 60)];
  const blamed = scansAtOdds(scans, before, 0, EVIDENCE);
  expect([...blamed.keys()]).toEqual([3]);
  expect(blamed.get(3)).toEqual([0, 1, 2]);
});

test('one contradiction alone blames nobody, and scans without a place take no part', () => {
  const two = [identity(), undefined, undefined, fromTranslation(0, 0, 60)];
  expect(scansAtOdds(scans, two, 0, EVIDENCE).size).toBe(0);
});

test('a scan is held if its outer points are known to a small part of the cell', () => {
  const known = (sigma: number) => ({
    centre: [0, 0, 0] as [number, number, number],
    radius: 40,
    covariance: Array.from({ length: 36 }, (_, k) => (k === 14 ? (sigma / 40) ** 2 : k % 7 === 0 ? 1e-12 : 0)),
  });
  expect(isHeld(known(0.03), { cell: 1, noise: 0 })).toBe(true);
  expect(isHeld(known(0.3), { cell: 1, noise: 0 })).toBe(false);
  // What noisy points are made of need not be held more exactly than they are.
  const lidar = { cell: 2.5, noise: 0.8 };
  expect(isHeld(known(0.3), lidar)).toBe(true);
  expect(isHeld(known(0.3), { ...lidar, noise: 0.1 })).toBe(false);
  expect(isHeld(known(1), lidar)).toBe(false);
  // Of flat faces it is known how far their edges err together: that need not be less than the noise.
  expect(isHeld(known(1), lidar, 0.4)).toBe(true);
  expect(isHeld(known(2), lidar, 0.4)).toBe(false);
});

import type { Placement, Scan } from '@amber-knit/core/geometry';
import {
  fromTranslation,
  fromTwist,
  identity,
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
} from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { galleyJug, simulateSingleViews, truthMesh } from '@amber-knit/demo';
import { findOperation, runOperation } from './index.js';

const views = simulateSingleViews(truthMesh(galleyJug), galleyJug.color, {
  views: 14,
  setups: 2,
  tables: false,
  points: 16_000,
}).slice(0, 3);
const [a, b, c] = views;
const scans: Scan[] = views.map((v) => ({ name: v.name, cloud: v.cloud, viewpoints: [[0, 0, 0]] }));
const run = (params: object, placements?: Placement[]) =>
  runOperation(
    findOperation('register.moved'),
    { scans, ...(placements ? { placements } : {}) },
    params,
    createRunContext({ seed: 1 }),
  );
const truth = multiply(invertRigid(a.objectFromSensor), b.objectFromSensor);
const middle = transformPoint(invertRigid(b.objectFromSensor), 0, 0, 75);
/** Where a hand has put the second scan: 4 mm and 4° off, about the jug's middle. */
const slip = multiply(fromTranslation(...middle), fromTwist(0.04, 0.05, 0, 3, 0, 2));
const held = Array.from(multiply(multiply(truth, slip), invertRigid(fromTranslation(...middle))));

test('a scan that was moved roughly into place is fitted from there; the first becomes the reference', async () => {
  const { outputs } = await run({ scan: b.name, onto: a.name, pieceFromScan: held });
  const placed = outputs.placements!;
  expect(placed.map((p) => p.state)).toEqual(['registered', 'registered', 'loose']);
  const error = multiply(invertRigid(truth), placed[1].pieceFromScan);
  const at = transformPoint(error, ...middle);
  expect(Math.hypot(...at.map((v, k) => v - middle[k]))).toBeLessThan(0.3);
  expect((rotationAngle(error) * 180) / Math.PI).toBeLessThan(0.3);
});

test('without fine fitting it stays exactly where it was put', async () => {
  const { outputs } = await run({ scan: b.name, onto: a.name, pieceFromScan: held, refine: false });
  expect(outputs.placements![1]).toMatchObject({ state: 'placed' });
  expect(Array.from(outputs.placements![1].pieceFromScan)).toEqual(held);
});

test('what can not be is refused in words', async () => {
  const place = Array.from(identity());
  await expect(run({ scan: b.name, pieceFromScan: place })).rejects.toThrow(/No other scan has a place/);
  await expect(run({ scan: b.name, onto: b.name, pieceFromScan: place })).rejects.toThrow(/onto itself/);
  const locked: Placement[] = [
    { name: a.name, state: 'registered', pieceFromScan: identity() },
    { name: b.name, state: 'registered', pieceFromScan: identity(), locked: true },
  ];
  await expect(run({ scan: b.name, pieceFromScan: place }, locked)).rejects.toThrow(/locked/);
  await expect(run({ scan: 'nobody', onto: a.name, pieceFromScan: place })).rejects.toThrow(/nobody/);
  await expect(run({ scan: b.name, onto: a.name, pieceFromScan: place.map((v) => 2 * v) })).rejects.toThrow(/rigid/);
  await expect(run({ scan: b.name, onto: a.name, pieceFromScan: [1, 2] })).rejects.toThrow(/rigid/);
  const mirrored = place.map((v, i) => (i === 0 ? -v : v));
  await expect(run({ scan: b.name, onto: c.name, pieceFromScan: mirrored })).rejects.toThrow(/rigid/);
});

import { loosePlacement, type Placement, type Scan } from '@amber-knit/core/geometry';
import { readScanFile, readScanFiles } from '@amber-knit/core/io';
import { fromTwist, identity } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { deliverPoints, DeliverPointsParams } from './deliver-points.js';

const scan = (name: string, x: number): Scan => ({
  name,
  cloud: {
    positions: Float32Array.from([x, 0, 0, x, 10, 0]),
    normals: Float32Array.from([1, 0, 0, 1, 0, 0]),
    colors: Uint8Array.from([1, 2, 3, 4, 5, 6]),
  },
});
const scans = [scan('A', 0), scan('B', 100), scan('C', 7)];
const placements: Placement[] = [
  { name: 'A', state: 'registered', pieceFromScan: identity() },
  { name: 'B', state: 'placed', pieceFromScan: fromTwist(0, 0, Math.PI / 2, 5, 0, 0) },
  loosePlacement('C'),
];

test.each(['ply', 'pcd', 'xyz'] as const)('placed scans are written as %s in the unit asked for', async (format) => {
  const params = { ...new DeliverPointsParams(), name: 'jug: points/1', format, unit: 'cm' as const };
  const { outputs, figures } = await deliverPoints.run({ scans, placements }, params, createRunContext());
  expect(outputs.file.name).toBe(`jug points1.${format}`);
  expect(figures).toMatchObject({ points: 4, scans: 2, unit: 'cm' });
  const r = readScanFile(outputs.file.bytes, outputs.file.name);
  const near = (a: ArrayLike<number>, b: number[]): void => b.forEach((v, i) => expect(a[i]).toBeCloseTo(v, 4));
  // B is turned a quarter to the left and shifted by 5 mm.
  near(r.positions, [0, 0, 0, 0, 1, 0, 0.5, 10, 0, -0.5, 10, 0]);
  near(r.normals!, [1, 0, 0, 1, 0, 0, 0, 1, 0, 0, 1, 0]);
  expect(Array.from(r.colors!)).toEqual([1, 2, 3, 4, 5, 6, 1, 2, 3, 4, 5, 6]);
});

test('E57 keeps the scans apart, with their places and sensors; named scans need no place', async () => {
  const seen = scans.map((s, i) => ({ ...s, viewpoints: [[i, 2, 300] as [number, number, number]] }));
  const params = { ...new DeliverPointsParams(), format: 'e57' as const };
  const all = await deliverPoints.run({ scans: seen, placements }, params, createRunContext());
  expect(all.figures).toMatchObject({ scans: 2, unit: 'm' });
  const only = ['C', 'B'];
  const { outputs } = await deliverPoints.run({ scans: seen, placements }, { ...params, only }, createRunContext());
  const [c, b] = await readScanFiles(outputs.file.bytes, outputs.file.name);
  expect([c.name, c.pieceFromScan, c.viewpoints]).toEqual(['C', undefined, [[2, 2, 300]]]);
  expect(b.name).toBe('B');
  b.pieceFromScan!.forEach((v, i) => expect(v).toBeCloseTo(placements[1].pieceFromScan[i], 9));
  // Without any piece of news about the sensor there is none, whatever the pose.
  const blind = await deliverPoints.run({ scans, placements }, { ...params, only: ['A'] }, createRunContext());
  expect((await readScanFiles(blind.outputs.file.bytes, 'a.e57'))[0].viewpoints).toBeUndefined();
  await expect(
    deliverPoints.run({ scans, placements }, { ...params, only: ['D'] }, createRunContext()),
  ).rejects.toThrow(/no scan "D"/);
});

test('without any place it says what to do', async () => {
  const loose = scans.map((s) => loosePlacement(s.name));
  const params = new DeliverPointsParams();
  await expect(deliverPoints.run({ scans, placements: loose }, params, createRunContext())).rejects.toThrow(/registr/i);
});

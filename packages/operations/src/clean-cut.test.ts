import { BitSet, type Placement, type Scan } from '@amber-knit/core/geometry';
import { fromTranslation } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { encodeSelection, type ScanSelection } from '@amber-knit/core/stored';
import { findOperation, runOperation } from './index.js';

const n = 200;
function scan(name: string): Scan {
  const positions = Float32Array.from({ length: 3 * n }, (_, i) => i);
  const rows = Uint32Array.from({ length: n }, (_, i) => i);
  return { name, storedAs: `${name} stored`, cloud: { positions, rows }, viewpoints: [[0, 0, 9]] };
}
const placements: Placement[] = [
  { name: 'front', state: 'registered', pieceFromScan: fromTranslation(1, 2, 3) },
  { name: 'back', state: 'registered', pieceFromScan: fromTranslation(0, 0, 0) },
];
function chosen(of: Scan, rows: Iterable<number>): ScanSelection {
  const points = new BitSet(n);
  for (const i of rows) points.add(i);
  return { scan: of.name, base: of.storedAs!, points };
}
const cut = (scans: Scan[], selection: ScanSelection[], params = {}) =>
  runOperation(
    findOperation('clean.cut'),
    { scans, placements, file: { name: 'selection', mediaType: '', bytes: encodeSelection(selection) } },
    params,
    createRunContext(),
  );

test('selected points go, the rest stays as it is', async () => {
  const scans = [scan('front'), scan('back')];
  const { outputs, figures } = await cut(scans, [chosen(scans[0], [0, 1, 199])]);
  expect(figures).toMatchObject({ points: 3, scans: 1, newScans: 0 });
  expect(outputs.scans![0].cloud.rows).toHaveLength(n - 3);
  expect(Array.from(outputs.scans![0].cloud.rows!.slice(0, 2))).toEqual([2, 3]);
  expect(outputs.scans![1]).toBe(scans[1]);
  expect(outputs.placements).toBeUndefined();
});

test('points already gone are passed over; a selection of nothing but such is refused', async () => {
  const scans = [scan('front')];
  const first = await cut(scans, [chosen(scans[0], [0, 1])]);
  const second = await cut(first.outputs.scans!, [chosen(scans[0], [1, 2])]);
  expect(second.figures.points).toBe(1);
  await expect(cut(first.outputs.scans!, [chosen(scans[0], [0])])).rejects.toThrow(/Select again/);
});

test('points split off become a scan that stays where they are', async () => {
  const scans = [scan('front'), scan('back')];
  const { outputs, figures } = await cut(scans, [chosen(scans[0], [5, 6])], { action: 'split', name: 'handle' });
  expect(figures.newScans).toBe(1);
  expect(outputs.scans!.map((s) => [s.name, s.cloud.positions.length / 3])).toEqual([
    ['front', n - 2],
    ['back', n],
    ['front handle', 2],
  ]);
  expect(outputs.scans![2].viewpoints).toEqual([[0, 0, 9]]);
  expect(outputs.placements!.find((p) => p.name === 'front handle')).toMatchObject({
    state: 'registered',
    pieceFromScan: placements[0].pieceFromScan,
  });
});

test('a scan of which nothing is left leaves the piece, with its placement', async () => {
  const scans = [scan('front'), scan('back')];
  const { outputs } = await cut(scans, [chosen(scans[0], Array(n).keys())]);
  expect(outputs.scans!.map((s) => s.name)).toEqual(['back']);
  expect(outputs.placements!.map((p) => p.name)).toEqual(['back']);
});

test('a selection made on another version of the scan, or on no scan here, cuts nothing', async () => {
  const scans = [scan('front')];
  const old = { ...chosen(scans[0], [3]), base: 'before thinning' };
  await expect(cut(scans, [old])).rejects.toThrow(/"front" has been changed/);
  await expect(cut(scans, [{ ...old, scan: 'gone' }])).rejects.toThrow(/no scan "gone"/);
});

import { BitSet } from '@amber-knit/core/geometry';
import { createRandom, identity } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { findOperation, runOperation } from '@amber-knit/operations';
import { pointsThatGo } from './points-that-go';
import { SelectionDesk, type DeskScan } from './selection-desk';

/** A block on a table, seen from above, points a millimetre apart; every fifth point of the table was cut before. */
function onTable(): { scan: DeskScan; table: number } {
  const random = createRandom(2);
  const p: number[] = [];
  const shake = (): number => 0.02 * (random() - 0.5);
  for (let x = -60; x <= 60; x++)
    for (let y = -60; y <= 60; y++) if (Math.abs(x) > 12 || Math.abs(y) > 12) p.push(x, y, shake());
  const table = p.length / 3;
  for (let x = -12; x <= 12; x++) for (let y = -12; y <= 12; y++) p.push(x, y, 30 + shake());
  const size = p.length / 3;
  const present = BitSet.full(size);
  for (let i = 0; i < table; i += 5) present.delete(i);
  const cloud = { positions: Float32Array.from(p), present, viewFromScan: identity(), spacing: 1 };
  return { scan: { id: 'a', name: 'block', base: 'stored', cloud, viewpoints: [[40, 0, 300]], visible: true }, table };
}

test('what the operation would leave out is marked, and it leaves out just that', async () => {
  const { scan, table } = onTable();
  const desk = new SelectionDesk();
  desk.setScans([scan]);
  desk.select(await desk.found('clean.support', { minShare: 0.08 }, () => undefined), 'replace');
  const marked = desk.marksOf('a').selected!;
  expect(marked.count()).toBe(table - Math.ceil(table / 5));
  expect(marked.has(0)).toBe(false);
  expect(marked.has(1)).toBe(true);
  expect(marked.has(table + 3)).toBe(false);
  // Run for real on the same points.
  const rows = scan.cloud.present.toArray();
  const positions = new Float32Array(3 * rows.length);
  rows.forEach((row, k) => positions.set(scan.cloud.positions.subarray(3 * row, 3 * row + 3), 3 * k));
  const given = { name: 'block', cloud: { positions, rows }, viewpoints: scan.viewpoints };
  const { outputs } = await runOperation(findOperation('clean.support'), { scans: [given] }, {}, createRunContext());
  expect(outputs.scans![0].cloud.rows!.length).toBe(rows.length - marked.count());
});

test('what can’t be shown beforehand, or is not shown, is refused in words', async () => {
  const { scan } = onTable();
  const desk = new SelectionDesk();
  desk.setScans([scan]);
  const quiet = (): void => undefined;
  await expect(desk.found('clean.support', { only: ['other'] }, quiet)).rejects.toThrow(/None of the scans/);
  await expect(desk.found('clean.support', { minShare: 7 }, quiet)).rejects.toThrow(/Least share|minShare/);
  await expect(pointsThatGo('clean.thin', {}, [], quiet)).rejects.toThrow(/can't be shown beforehand/);
});

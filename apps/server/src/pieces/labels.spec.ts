import type { PieceView } from '@amber-knit/contracts';
import { readPly, writeE57 } from '@amber-knit/core/io';
import { fromTranslation } from '@amber-knit/core/math';
import { Harness, scanFile } from '../../test/harness.js';

/** Names, setups and notes of scans on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;

beforeAll(async () => {
  harness = await Harness.start(process.env.DATABASE_URL!);
  ({ stop } = await harness.work());
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

const label = (piece: string, body: object, status = 200) =>
  harness.http().patch(`/api/pieces/${piece}/scans`).send(body).expect(status);

test('a renamed scan keeps its place, through undo, redo and further steps', async () => {
  const before = await harness.placedPair();
  const id = (name: string): string => before.scanList.find((s) => s.name === name)!.id;
  const placed = (view: PieceView): (string | number)[][] =>
    view.scanList.map((s) => [s.name, s.placement.state, s.placement.pieceFromScan[12]]);

  const { body } = await label(before.id, { scans: [id('right')], name: '  handle side ', note: 'shaky hand' });
  expect(placed(body as PieceView)).toEqual([
    ['left', 'placed', 0],
    ['handle side', 'placed', 70],
  ]);
  expect((body as PieceView).scanList[1].note).toBe('shaky hand');
  // Steps know it by its new name, and only that.
  const thin = await harness.enqueue(before.id, 'clean.thin', { only: ['handle side'] });
  expect(await harness.finished(thin.id)).toMatchObject({ status: 'done' });
  const gone = await harness.enqueue(before.id, 'clean.thin', { only: ['right'] });
  expect(await harness.finished(gone.id)).toMatchObject({ status: 'failed' });
  const excluded = await harness.enqueue(before.id, 'register.exclude', { only: ['handle side'], exclude: true });
  await harness.finished(excluded.id);
  expect(placed(await harness.piece(before.id))[1].slice(0, 2)).toEqual(['handle side', 'excluded']);

  // Back before the renaming the old name counts, with its place; forward again the new one.
  for (let i = 0; i < 3; i++) await harness.http().post(`/api/pieces/${before.id}/undo`).expect(200);
  expect(placed(await harness.piece(before.id))).toEqual(placed(before));
  for (let i = 0; i < 3; i++) await harness.http().post(`/api/pieces/${before.id}/redo`).expect(200);
  expect(placed(await harness.piece(before.id))[1].slice(0, 2)).toEqual(['handle side', 'excluded']);
});

test('locked scans stay where they are, and what was made of them stays up to date', async () => {
  const piece = await harness.newPiece();
  const { positions } = readPly(scanFile(3000));
  const e57 = writeE57([
    { name: 'left', cloud: { positions }, pieceFromScan: fromTranslation(0, 0, 0) },
    { name: 'right', cloud: { positions }, pieceFromScan: fromTranslation(0.4, 0, 0) },
  ]);
  await harness.finished(await harness.upload(piece.id, 'both.e57', e57));
  const run = async (operation: string, params: object): Promise<PieceView> => {
    const step = await harness.enqueue(piece.id, operation, params);
    expect(await harness.finished(step.id)).toMatchObject({ status: 'done' });
    return harness.piece(piece.id);
  };
  const fused = (view: PieceView): string => view.stages.find((s) => s.stage === 'fuse')!.state;
  expect(fused(await run('fuse.surface', {}))).toBe('done');
  const locked = await run('register.lock', { only: ['left', 'right'] });
  expect([fused(locked), ...locked.scanList.map((s) => s.placement.locked)]).toEqual(['done', true, true]);
  // Fitted together they would come to lie on each other.
  const fitted = await run('register.fine', {});
  expect(fitted.scanList.map((s) => s.placement.pieceFromScan[12])).toEqual([0, 0.4]);
  expect(fused(fitted)).toBe('outdated');
});

test('several scans move to another setup; names stay unique; what can’t be is refused', async () => {
  const piece = await harness.newPiece();
  for (const name of ['a.ply', 'b.ply']) await harness.finished(await harness.upload(piece.id, name, scanFile(2000)));
  const { scanList } = await harness.piece(piece.id);
  const ids = scanList.map((s) => s.id);
  const { body } = await label(piece.id, { scans: ids, setup: 'Upside down', colorIndex: 5 });
  expect((body as PieceView).setups).toEqual(['Upside down']);
  expect((body as PieceView).scanList.map((s) => s.colorIndex)).toEqual([5, 5]);
  expect((await label(piece.id, { scans: [ids[0]], name: 'b' }, 400)).body).toMatchObject({
    detail: expect.stringContaining('"b" already'),
  });
  await label(piece.id, { scans: ids, name: 'c' }, 400);
  await label(piece.id, { scans: [ids[0]], name: '   ' }, 400);
  await label(piece.id, { scans: [] }, 400);
  await label(piece.id, { scans: [piece.id], name: 'c' }, 400);
});

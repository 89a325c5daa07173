import { zipSync } from 'fflate';
import type { StepView } from '@amber-knit/contracts';
import { readPly, writeE57, writePly } from '@amber-knit/core/io';
import { fromTranslation } from '@amber-knit/core/math';
import { hostileFiles, type HostileFile } from '../../../../packages/core/test/hostile-files.js';
import { Harness, scanFile } from '../../test/harness.js';

/** Scans from files on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;
let hostile: HostileFile[];

beforeAll(async () => {
  // Making them keeps this process busy for longer than idle connections live.
  hostile = await hostileFiles();
  harness = await Harness.start(process.env.DATABASE_URL!);
  ({ stop } = await harness.work());
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

const { positions } = readPly(scanFile(2000));
const metres = writePly({ positions: positions.map((v) => v / 1000) });

test('a doubtful unit is asked, answered, and the answer takes the same file', async () => {
  const piece = await harness.newPiece();
  const refused = await harness.finished(await harness.upload(piece.id, 'left.ply', metres));
  expect(refused).toMatchObject({ status: 'failed', sourceName: 'left.ply', figures: { across: expect.any(Number) } });
  const { body } = await harness
    .http()
    .post(`/api/steps/${refused.id}/again`)
    .send({ params: { unit: 'm' } })
    .expect(202);
  const done = await harness.finished((body as StepView).id);
  expect(done).toMatchObject({ status: 'done', params: { unit: 'm' }, figures: { points: 2000 } });
  // Answered: it asks no more.
  expect((await harness.step(refused.id)).figures).toBeNull();
  expect((await harness.piece(piece.id)).scanList.map((s) => [s.name, s.setup])).toEqual([['left', 'Upright']]);
  await harness
    .http()
    .post(`/api/steps/${refused.id}/again`)
    .send({ params: { unit: 'furlong' } })
    .expect(400);
});

test('a mixed archive gives its scans, placed as its E57 file says, under names that are free', async () => {
  const piece = await harness.newPiece();
  await harness.finished(await harness.upload(piece.id, 'right.ply', writePly({ positions })));
  const e57 = writeE57([
    { name: 'left', cloud: { positions }, pieceFromScan: fromTranslation(0, 0, 0) },
    { name: 'right', cloud: { positions }, pieceFromScan: fromTranslation(70, 0, 0) },
  ]);
  const archive = zipSync({
    'set/both.e57': e57,
    'set/third.ply': writePly({ positions }),
    'letter.doc': new Uint8Array(9),
  });
  const step = await harness.finished(await harness.upload(piece.id, 'day.zip', archive));
  expect(step).toMatchObject({ status: 'done', figures: { scans: 3, points: 6000 } });
  expect(step.notes.join()).toContain('letter.doc');
  const { scanList } = await harness.piece(piece.id);
  const states = Object.fromEntries(scanList.map((s) => [s.name, s.placement.state]));
  expect(states).toEqual({ right: 'loose', left: 'placed', 'right 2': 'placed', third: 'loose' });
  const moved = scanList.find((s) => s.name === 'right 2')!.placement.pieceFromScan;
  expect(moved[12]).toBeCloseTo(70, 6);
});

test('scans are copied to another piece by way of a file, with their places', async () => {
  const from = await harness.newPiece('From');
  const e57 = writeE57([
    { name: 'left', cloud: { positions }, pieceFromScan: fromTranslation(0, 0, 0), viewpoints: [[0, 0, 0]] },
    { name: 'right', cloud: { positions }, pieceFromScan: fromTranslation(70, 0, 0), viewpoints: [[0, 0, 0]] },
  ]);
  await harness.finished(await harness.upload(from.id, 'both.e57', e57));
  const params = { name: 'from From', format: 'e57', only: ['left', 'right'] };
  const step = await harness.enqueue(from.id, 'deliver.points', params);
  const written = await harness.finished(step.id);
  // Points are delivered too.
  const deliver = (await harness.piece(from.id)).stages.find((s) => s.stage === 'deliver');
  expect(deliver).toMatchObject({ state: 'done', figure: 'E57' });
  const to = await harness.newPiece('To');
  const send = (body: object, status: number) =>
    harness.http().post(`/api/pieces/${to.id}/imports`).send(body).expect(status);
  const { body } = await send({ artifact: written.outputs[0], setup: 'Copied' }, 202);
  expect(await harness.finished((body as StepView).id)).toMatchObject({ status: 'done', sourceName: 'from From.e57' });
  const copied = await harness.piece(to.id);
  expect(copied.scanList.map((s) => [s.name, s.setup, s.placement.state])).toEqual([
    ['left', 'Copied', 'placed'],
    ['right', 'Copied', 'placed'],
  ]);
  expect(copied.scanList[1].placement.pieceFromScan[12]).toBeCloseTo(70, 6);
  await send({ artifact: copied.scanList[0].cloud.id }, 400);
  await send({ artifact: to.id }, 404);
});

test('hostile files change nothing', async () => {
  const piece = await harness.newPiece();
  const before = await harness.piece(piece.id);
  // One of each kind of lie; all of them run through the import itself in packages/operations.
  const names =
    /^(half-binary.ply|half-two.e57|turned-two.e57|bomb.zip|many.zip|outside.zip|deep.gltf|sixty-million.ply)$/;
  const files = hostile.filter((f) => names.test(f.name));
  expect(files).toHaveLength(8);
  for (const { name, bytes } of files) {
    const step = await harness.finished(await harness.upload(piece.id, name, bytes));
    expect([name, step.status, (step.error ?? '').length > 20]).toEqual([name, 'failed', true]);
  }
  const after = await harness.piece(piece.id);
  expect({ ...after, steps: 0, updatedAt: '' }).toEqual({ ...before, steps: 0, updatedAt: '' });
});

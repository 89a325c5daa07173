import { DataSource, QueryFailedError } from 'typeorm';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { Harness, scanFile } from '../test/harness.js';
import { BlobStore } from './storage/blob-store.js';
import { toProblem } from './problem.filter.js';

/** The real application on a real PostgreSQL (DATABASE_URL), with a worker in this process. */
let harness: Harness;
let stop: () => Promise<void>;
let db: DataSource;

beforeAll(async () => {
  harness = await Harness.start(process.env.DATABASE_URL!);
  db = harness.app.get(DataSource);
  ({ stop } = await harness.work());
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

const http = () => harness.http();

test('faults come as problem details that name the fault', async () => {
  const empty = await http().post('/api/pieces').send({ name: '' }).expect(400);
  expect(empty.headers['content-type']).toMatch(/application\/problem\+json/);
  expect(empty.body).toMatchObject({ status: 400, detail: expect.stringContaining('name') });
  await http().get('/api/pieces/11111111-1111-4111-8111-111111111111').expect(404);
  await http().get('/api/pieces/no-id').expect(400);
  const piece = await harness.newPiece();
  const wrong = await http()
    .post(`/api/pieces/${piece.id}/steps`)
    .send({ operationId: 'fuse.surface', params: { voxel: -5 } })
    .expect(400);
  expect(wrong.body).toMatchObject({ code: 'invalid-parameter', detail: expect.stringContaining('Resolution') });
  await http().post(`/api/pieces/${piece.id}/steps`).send({ operationId: 'no.such' }).expect(400);
  await http().post(`/api/pieces/${piece.id}/steps`).send({ operationId: 'fuse.surface', surprise: 1 }).expect(400);
});

test('the OpenAPI page lists the calls', async () => {
  const doc = (await http().get('/api/docs-json').expect(200)).body as { paths: Record<string, unknown> };
  expect(Object.keys(doc.paths)).toEqual(
    expect.arrayContaining(['/api/pieces', '/api/pieces/{id}/steps', '/api/steps/{id}/cancel']),
  );
});

test('a file goes up in parts, is checked, becomes a scan, then a mesh; undo and redo move between states', async () => {
  const piece = await harness.newPiece();
  const bytes = scanFile();
  const imported = await harness.finished(await harness.upload(piece.id, 'front.ply', bytes));
  expect(imported).toMatchObject({ status: 'done', summary: 'front: 20,000 points, 82.8 × 80.0 × 40.0 mm' });
  let view = await harness.piece(piece.id);
  expect(view.scanList[0]).toMatchObject({ name: 'front', setup: 'Upright', placement: { state: 'loose' } });
  const data = await http()
    .get(`/api/artifacts/${view.scanList[0].cloud.id}/data`)
    .buffer(true)
    .parse((res, done) => {
      const parts: Buffer[] = [];
      res.on('data', (d: Buffer) => parts.push(d));
      res.on('end', () => done(null, Buffer.concat(parts)));
    });
  expect((data.body as Buffer).subarray(0, 4).toString()).toBe('AKB1');
  expect(data.headers['cache-control']).toMatch(/immutable/);

  for (const operationId of ['register.automatic', 'fuse.surface', 'mend.all']) {
    const step = await harness.enqueue(piece.id, operationId, {}, 4);
    expect(await harness.finished(step.id)).toMatchObject({ status: 'done', seed: 4 });
  }
  view = await harness.piece(piece.id);
  expect(view.watertight).toBe(true);
  expect(view.stages.find((s) => s.stage === 'mend')).toMatchObject({ state: 'done', detail: 'watertight' });

  // Cleaning again changes what the mesh was made from: it is out of date, not gone.
  const thin = await harness.enqueue(piece.id, 'clean.thin', { cell: 2 });
  await harness.finished(thin.id);
  view = await harness.piece(piece.id);
  expect(view.stages.find((s) => s.stage === 'fuse')!.state).toBe('outdated');
  expect(view.lastStep).toBe('Thin out');
  const undone = (await http().post(`/api/pieces/${piece.id}/undo`).expect(200)).body as PieceView;
  expect(undone.stages.find((s) => s.stage === 'fuse')!.state).toBe('done');
  expect(undone.points).toBe(20_000);
  const redone = (await http().post(`/api/pieces/${piece.id}/redo`).expect(200)).body as PieceView;
  expect(redone.points).toBeLessThan(20_000);
  const ledger = (await http().get(`/api/pieces/${piece.id}/steps`)).body as StepView[];
  expect(ledger.map((s) => s.operationId)).toEqual([
    'capture.import',
    'register.automatic',
    'fuse.surface',
    'mend.all',
    'clean.thin',
  ]);
});

test('a file that is no scan fails with its reason and leaves the piece as it was', async () => {
  const piece = await harness.newPiece();
  const step = await harness.finished(
    await harness.upload(piece.id, 'letter.stl', new TextEncoder().encode('Dear colleague, '.repeat(20))),
  );
  expect(step).toMatchObject({ status: 'failed', error: expect.stringContaining('not an STL file') });
  const view = await harness.piece(piece.id);
  expect(view.scans).toBe(0);
});

test('a running step stops when it is cancelled and changes nothing', async () => {
  const piece = await harness.newPiece();
  await harness.finished(await harness.upload(piece.id, 'front.ply', scanFile(120_000)));
  await harness.finished((await harness.enqueue(piece.id, 'register.automatic')).id);
  const before = await harness.piece(piece.id);
  const step = await harness.enqueue(piece.id, 'fuse.surface', { voxel: 0.12 });
  await harness.until(step.id, (s) => s.status === 'running' && s.progress > 0);
  await http().post(`/api/steps/${step.id}/cancel`).expect(202);
  const ended = await harness.finished(step.id);
  expect(ended.status).toBe('cancelled');
  const after = await harness.piece(piece.id);
  expect(after.mesh).toBeNull();
  expect(after.scanList).toEqual(before.scanList);
});

test('the same bytes are stored once and come back in chunks', async () => {
  const blobs = harness.app.get(BlobStore);
  const bytes = new Uint8Array(5_000_000).map((_, i) => (i * 31) & 255);
  const sha = await blobs.put(bytes);
  expect(await blobs.put(bytes)).toBe(sha);
  expect(await db.query('SELECT count(*)::int AS n FROM blob_chunk WHERE sha256 = $1', [sha])).toEqual([{ n: 3 }]);
  expect(Buffer.compare(Buffer.from(await blobs.get(sha)), Buffer.from(bytes))).toBe(0);
});

test('a full disk is told as such, whoever found it', () => {
  // SQLSTATE 53100 (PostgreSQL, appendix A) and errno ENOSPC (POSIX) are what the two stores answer.
  const byDatabase = new QueryFailedError('INSERT', [], Object.assign(new Error('full'), { code: '53100' }));
  for (const e of [byDatabase, Object.assign(new Error('full'), { code: 'ENOSPC' })]) {
    expect(toProblem(e)).toMatchObject({ status: 507, detail: expect.stringContaining('make room') as string });
  }
  expect(toProblem(new Error('else')).status).toBe(500);
});

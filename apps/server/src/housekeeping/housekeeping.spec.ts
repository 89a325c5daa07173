import { mkdirSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DataSource } from 'typeorm';
import { Harness, scanFile } from '../../test/harness.js';
import { BlobStore } from '../storage/blob-store.js';
import { Housekeeping } from './housekeeping.js';

let harness: Harness;
let db: DataSource;
let blobs: BlobStore;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_housekeeping');
  db = harness.app.get(DataSource);
  blobs = harness.app.get(BlobStore);
});
afterAll(() => harness.app.close());

test('what nobody comes back for goes, and all else stays', async () => {
  const piece = await harness.newPiece();
  const { stop } = await harness.work();
  const good = await harness.upload(piece.id, 'good.ply', scanFile(2000));
  const [old, recent] = [
    new TextEncoder().encode('Dear colleague, '.repeat(20)),
    new TextEncoder().encode('no '.repeat(20)),
  ];
  const refused = await harness.upload(piece.id, 'old.stl', old);
  const asked = await harness.upload(piece.id, 'recent.stl', recent);
  for (const id of [good, refused, asked]) await harness.finished(id);
  await stop();
  await db.query(`UPDATE step SET finished_at = now() - interval '8 days' WHERE id = ANY ($1)`, [[good, refused]]);
  await blobs.put(new Uint8Array(1000).fill(3));
  const put = (path: string, hours: number): void => {
    const file = join(harness.uploadDir, path);
    mkdirSync(join(file, '..'), { recursive: true });
    writeFileSync(file, 'x');
    const then = Date.now() / 1000 - hours * 3600;
    utimesSync(file, then, then);
  };
  // An upload that is still being written to has an old description.
  for (const [path, hours] of [
    ['a'.repeat(32), 25],
    [`${'a'.repeat(32)}.json`, 25],
    ['b'.repeat(32), 1],
    [`${'b'.repeat(32)}.json`, 30],
    // Its bytes have just become a blob, or are not there yet.
    [`${'d'.repeat(32)}.json`, 1],
    ['spool/c', 25],
  ] as const)
    put(path, hours);

  const rules = (await harness.violations()).map((v) => v.rule);
  expect(rules.filter((r) => /blob without owner/.test(r))).toHaveLength(1);
  expect(rules.filter((r) => /temporary file/.test(r))).toHaveLength(3);
  const cleared = await new Housekeeping(db, blobs, harness.uploadDir).clear();
  expect(cleared).toMatchObject({ files: 3, sources: 1, blobs: 2, bytes: 1000 + old.length });
  expect(await harness.violations()).toEqual([]);
  // The file of an import that was refused yesterday can still be tried in another unit.
  const again = await harness.http().post(`/api/steps/${asked}/again`).send({});
  expect(again.status).toBe(202);
  const gone = await harness.http().post(`/api/steps/${refused}/again`).send({});
  expect(gone.status).toBe(400);
});

test('blobs are not removed beside one that stores the same bytes', async () => {
  const bytes = new Uint8Array(5000).fill(9);
  const sha = await blobs.put(bytes);
  const piece = await harness.newPiece();
  await db.transaction(async (manager) => {
    // It is there already, and about to get an owner.
    await blobs.put(bytes, manager);
    expect(await blobs.sweep()).toEqual({ blobs: 0, bytes: 0 });
    await manager.query(`INSERT INTO artifact (piece_id, kind, blob_sha256, facts) VALUES ($1, 'file', $2, '{}')`, [
      piece.id,
      sha,
    ]);
  });
  await blobs.sweep();
  expect(await blobs.size(sha)).toBe(5000);
});

test('the checker finds planted faults, mends what is safe to mend, and tells the rest', async () => {
  const piece = await harness.newPiece();
  const put = await blobs.put(new Uint8Array(3000).fill(1));
  await db.query(`INSERT INTO artifact (piece_id, kind, blob_sha256, facts) VALUES ($1, 'file', $2, '{}')`, [
    piece.id,
    put,
  ]);
  await db.query('UPDATE blob_chunk SET data = set_byte(data, 7, 99) WHERE sha256 = $1', [put]);
  await blobs.put(new Uint8Array(100).fill(4));
  const insert = `INSERT INTO step (piece_id, operation_id, operation_version, params, seed, status, worker, heartbeat, attempt) VALUES ($1, 'clean.strays', 1, '{}', 1, 'running', 'gone', now() - interval '1 hour', 1) RETURNING id`;
  const [step] = await db.query<{ id: string }[]>(insert, [piece.id]);
  await db.query(`UPDATE piece SET redo = ARRAY[gen_random_uuid()] WHERE id = $1`, [piece.id]);
  const told = await harness.violations(true);
  const by = (text: RegExp) => told.filter((v) => text.test(v.rule)).map((v) => v.mended);
  expect(by(/blob is whole/)).toEqual([undefined]);
  expect(by(/without owner/)).toEqual(['removed']);
  expect(by(/runs without a worker/)).toEqual(['queued again']);
  expect(by(/stands in a state/)).toEqual([undefined]);
  expect(told).toHaveLength(4);
  expect((await harness.step(step.id)).status).toBe('queued');
  expect((await harness.violations()).map((v) => v.rule)).toEqual([
    'a piece stands in a state of its own, and so do those before and after it',
    'every blob is whole',
  ]);
});

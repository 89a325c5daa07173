import { DataSource } from 'typeorm';
import type { PieceSummary } from '@amber-knit/contracts';
import { Harness } from '../../test/harness.js';
import { Piece } from '../database/entities.js';

let harness: Harness;
let db: DataSource;
beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('piece_reader');
  db = harness.app.get(DataSource);
});
afterAll(() => harness.app.close());

const shelf = async (): Promise<PieceSummary[]> =>
  (await harness.http().get('/api/pieces').expect(200)).body as PieceSummary[];

/** What the shelf says is what the pieces say, each asked by itself. */
async function expectTrue(): Promise<PieceSummary[]> {
  const list = await shelf();
  for (const summary of list) expect(await harness.piece(summary.id)).toMatchObject(summary);
  return list;
}

/** Runs a query at each piece that is read while something is done: how many were. */
async function piecesRead(look: () => Promise<unknown>): Promise<number> {
  const { manager } = db;
  const findBy = manager.findBy.bind(manager);
  let read = 0;
  manager.findBy = (async (...args: Parameters<typeof findBy>) => {
    const found = await findBy(...args);
    if (args[0] === Piece) read += found.length;
    return found;
  }) as typeof findBy;
  try {
    await look();
  } finally {
    manager.findBy = findBy;
  }
  return read;
}

test('the shelf follows every change, and reads only pieces that changed', async () => {
  const work = await harness.work();
  const pair = await harness.placedPair();
  const other = await harness.newPiece('Oar fork');
  expect((await expectTrue()).map((p) => p.name)).toEqual(['Test piece', 'Oar fork']);
  expect(await piecesRead(shelf)).toBe(0);

  await harness.http().patch(`/api/pieces/${other.id}`).send({ name: 'Oar fork, left' }).expect(200);
  expect(await piecesRead(shelf)).toBe(1);
  expect((await expectTrue())[1].name).toBe('Oar fork, left');

  const { body } = await harness
    .http()
    .post(`/api/pieces/${pair.id}/steps`)
    .send({ operationId: 'fuse.surface', params: { voxel: 2 } })
    .expect(202);
  await harness.finished((body as { id: string }).id);
  const [fused] = await expectTrue();
  expect(fused).toMatchObject({ stage: 'fuse', running: null });
  expect(fused.triangles).toBeGreaterThan(100);

  await harness.http().post(`/api/pieces/${pair.id}/undo`).expect(200);
  expect((await expectTrue())[0]).toMatchObject({ triangles: 0 });
  await harness.http().delete(`/api/pieces/${other.id}`);
  expect((await expectTrue()).map((p) => p.name)).toEqual(['Test piece']);
  await work.stop();
}, 120_000);

test('a change that was begun before another, and shows after it, is not missed', async () => {
  const { id } = await harness.newPiece('Two at once');
  const early = db.createQueryRunner();
  await early.startTransaction();
  // It has its number now, before the other.
  await early.query('SELECT pg_current_xact_id()');
  await early.query(`UPDATE piece SET note = 'x' WHERE id = $1`, [id]);
  const [{ id: stepId }] = (await db.query(
    `INSERT INTO step (piece_id, operation_id, operation_version, params, seed, status)
     VALUES ($1, 'check.inspect', 1, '{}', 1, 'done'), ($1, 'check.inspect', 1, '{}', 1, 'done') RETURNING id`,
    [id],
  )) as { id: string }[];
  await early.query(`UPDATE step SET status = 'running' WHERE id = $1`, [stepId]);
  const before = (await shelf()).find((p) => p.id === id)!;
  expect(before).toMatchObject({ note: '', running: null });
  await early.commitTransaction();
  await early.release();
  const after = (await shelf()).find((p) => p.id === id)!;
  expect(after.note).toBe('x');
  expect(after.running).not.toBeNull();
}, 60_000);

test('a piece that is not there, and a state that is not there, are said to be missing', async () => {
  const { id } = await harness.newPiece();
  const nowhere = '00000000-0000-4000-8000-000000000000';
  await harness.http().get(`/api/pieces/${nowhere}`).expect(404);
  await harness.http().get(`/api/pieces/${id}/versions/${nowhere}`).expect(404);
});

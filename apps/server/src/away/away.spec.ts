import { DataSource } from 'typeorm';
import type { AwayPiece, PieceRoom, PieceSummary } from '@amber-knit/contracts';
import { createRandom } from '@amber-knit/core/math';
import { Harness, scanFile } from '../../test/harness.js';

/** Putting pieces away and removing them, on a database of its own. */
let harness: Harness;
let db: DataSource;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_away');
  db = harness.app.get(DataSource);
});
afterAll(() => harness.app.close());

const shelf = async (): Promise<string[]> =>
  ((await harness.http().get('/api/pieces').expect(200)).body as PieceSummary[]).map((p) => p.id);
const away = async (): Promise<AwayPiece[]> => (await harness.http().get('/api/away').expect(200)).body as AwayPiece[];
const stored = async (): Promise<number> =>
  Number(((await db.query('SELECT coalesce(sum(bytes), 0) AS n FROM blob')) as { n: string }[])[0].n);

test('a piece is put away, put back, and removed for good with all that only it used', async () => {
  const { stop } = await harness.work();
  const piece = await harness.newPiece('Old mug');
  const other = await harness.newPiece('Lid');
  // The same file in both: its bytes are stored once.
  await harness.finished(await harness.upload(piece.id, 'a.ply', scanFile(4000)));
  await harness.finished(await harness.upload(piece.id, 'own.ply', scanFile(5000)));
  await harness.finished(await harness.upload(other.id, 'a.ply', scanFile(4000)));
  await stop();
  await harness.http().delete(`/api/away/${piece.id}`).expect(409);
  const room = (await harness.http().get(`/api/pieces/${piece.id}/room`).expect(200)).body as PieceRoom;
  expect(room.freed).toBeGreaterThan(0);
  expect(room.freed).toBeLessThan(room.bytes);

  await harness.http().delete(`/api/pieces/${piece.id}`).expect(204);
  expect(await shelf()).toEqual([other.id]);
  expect(await away()).toMatchObject([{ id: piece.id, name: 'Old mug', ...room }]);
  await harness.http().post(`/api/away/${piece.id}/back`).expect(204);
  expect(await shelf()).toEqual([piece.id, other.id]);
  expect((await harness.piece(piece.id)).scans).toBe(2);

  await harness.http().delete(`/api/pieces/${piece.id}`).expect(204);
  const before = await stored();
  const given = (await harness.http().delete(`/api/away/${piece.id}`).expect(200)).body as PieceRoom;
  expect(given).toEqual(room);
  expect(before - (await stored())).toBe(room.freed);
  expect(await away()).toEqual([]);
  await harness.http().get(`/api/pieces/${piece.id}`).expect(404);
  await harness.http().delete(`/api/away/${piece.id}`).expect(404);
  expect(await harness.violations()).toEqual([]);
  // What the other piece shares with it is all there.
  const { original } = (await harness.piece(other.id)).scanList[0];
  await harness.http().get(`/api/artifacts/${original.id}/data`).expect(200);
});

test('what was undone can be forgotten; what came in stays, and so does all that stands', async () => {
  const { stop } = await harness.work();
  const piece = await harness.placedPair();
  const fuse = async (voxel: number): Promise<void> => {
    await harness.finished((await harness.enqueue(piece.id, 'fuse.surface', { voxel })).id);
  };
  const undo = () => harness.http().post(`/api/pieces/${piece.id}/undo`).expect(200);
  await fuse(3);
  await undo();
  await fuse(4);
  const stands = await harness.piece(piece.id);
  // An import that is undone is what came in: it stays to be redone, or asked for again.
  await harness.finished(await harness.upload(piece.id, 'late.ply', scanFile(6000)));
  await undo();
  const room = (await harness.http().get(`/api/pieces/${piece.id}/room`).expect(200)).body as PieceRoom;
  expect(room.undone).toBeGreaterThan(0);
  const before = await stored();
  const after = (await harness.http().post(`/api/pieces/${piece.id}/forget-undone`).expect(200)).body as PieceRoom;
  expect(after.undone).toBe(0);
  expect(before - (await stored())).toBe(room.undone);
  expect(await harness.violations()).toEqual([]);
  const now = await harness.piece(piece.id);
  expect({ ...now, canRedo: true, updatedAt: '' }).toEqual({ ...stands, canRedo: true, updatedAt: '' });
  expect(now.canRedo).toBe(false);
  const steps = (await harness.http().get(`/api/pieces/${piece.id}/steps`)).body as { operationId: string }[];
  expect(steps.map((s) => s.operationId)).toEqual(['capture.import', 'fuse.surface', 'capture.import']);
  // It goes on from there.
  await undo();
  await fuse(5);
  expect((await harness.piece(piece.id)).mesh).not.toBeNull();
  await stop();
});

test('not while a step waits or runs on it; a guided run on it pauses', async () => {
  const piece = await harness.newPiece('Busy');
  const step = await harness.upload(piece.id, 'a.ply', scanFile(3000));
  const refused = await harness.http().delete(`/api/pieces/${piece.id}`).expect(409);
  expect((refused.body as { detail: string }).detail).toMatch('A step is running. Cancel it, or put the piece away');
  await harness.http().post(`/api/steps/${step}/cancel`);
  await db.query(`INSERT INTO guided_run (piece_id, answers) VALUES ($1, '{}')`, [piece.id]);
  await harness.http().delete(`/api/pieces/${piece.id}`).expect(204);
  const [{ paused }] = (await db.query('SELECT paused FROM guided_run WHERE piece_id = $1', [piece.id])) as {
    paused: boolean;
  }[];
  expect(paused).toBe(true);
});

test('removing in any order frees all that nobody uses and nothing that somebody does', async () => {
  const random = createRandom(7);
  const { stop } = await harness.work();
  const files = [2500, 3500, 4500].map((n) => scanFile(n));
  const pieces = await Promise.all(Array.from({ length: 6 }, (_, i) => harness.newPiece(`Piece ${i}`)));
  for (const { id } of pieces)
    for (const [k, file] of files.entries())
      if (random() < 0.6) await harness.finished(await harness.upload(id, `f${k}.ply`, file));
  await stop();
  const order = pieces.map((p) => ({ id: p.id, at: random() })).sort((a, b) => a.at - b.at);
  for (const { id } of order) {
    await harness.http().delete(`/api/pieces/${id}`).expect(204);
    const before = await stored();
    const { freed } = (await harness.http().delete(`/api/away/${id}`).expect(200)).body as PieceRoom;
    expect(before - (await stored())).toBe(freed);
    expect(await harness.violations()).toEqual([]);
  }
});

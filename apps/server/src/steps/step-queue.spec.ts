import { DataSource } from 'typeorm';
import type { StepView } from '@amber-knit/contracts';
import { Harness, scanFile } from '../../test/harness.js';
import { StepQueue } from './step-queue.js';
import { StepsService } from './steps.service.js';

/** Rules of the queue on a database of its own, where no worker takes anything unless a test does. */
let harness: Harness;
let queue: StepQueue;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_queue');
  queue = harness.app.get(StepQueue);
});
afterAll(() => harness.app.close());
afterEach(() =>
  harness.app.get(DataSource).query(`UPDATE step SET status = 'cancelled' WHERE status IN ('queued', 'running')`),
);

const post = (path: string, status: number) => harness.http().post(`/api/${path}`).expect(status);

test('one step of a piece at a time, the oldest first; other pieces are not kept waiting', async () => {
  const [a, b] = [await harness.newPiece(), await harness.newPiece()];
  const first = await harness.enqueue(a.id, 'clean.strays');
  const second = await harness.enqueue(a.id, 'clean.thin');
  const other = await harness.enqueue(b.id, 'clean.strays');
  // All at once, as several workers would.
  const taken = await Promise.all(['w1', 'w2', 'w3', 'w4'].map((w) => queue.claim(w)));
  const ids = taken.flatMap((s) => (s ? [s.id] : []));
  expect(ids.sort()).toEqual([first.id, other.id].sort());
  expect((await harness.step(second.id)).status).toBe('queued');
});

test('steps asked for in one breath run in the order asked', async () => {
  const service = harness.app.get(StepsService);
  const db = harness.app.get(DataSource);
  for (let round = 0; round < 8; round++) {
    const piece = await harness.newPiece();
    const asked = await db.transaction(async (manager) => {
      const ids: string[] = [];
      for (const operation of ['clean.strays', 'clean.thin', 'register.automatic'])
        ids.push((await service.enqueue(piece.id, operation, {}, 1, undefined, manager)).id);
      return ids;
    });
    expect((await service.list(piece.id)).map((s) => s.id)).toEqual(asked);
    for (const id of asked) {
      expect((await queue.claim('w'))?.id).toBe(id);
      await db.query(`UPDATE step SET status = 'done' WHERE id = $1`, [id]);
    }
  }
});

test('undo, redo, versions, names and copies wait until steps have ended', async () => {
  const { stop } = await harness.work();
  const piece = await harness.newPiece();
  await harness.finished(await harness.upload(piece.id, 'a.ply', scanFile(2000)));
  await harness.finished(await harness.upload(piece.id, 'b.ply', scanFile(2000)));
  await stop();
  const before = (await post(`pieces/${piece.id}/undo`, 200)).body as { scans: number };
  expect(before.scans).toBe(1);
  const step = await harness.enqueue(piece.id, 'clean.thin');
  const refused = await post(`pieces/${piece.id}/undo`, 409);
  expect((refused.body as { detail: string }).detail).toMatch(/A step is running.*Undo once/);
  await post(`pieces/${piece.id}/redo`, 409);
  // The same while it runs.
  await queue.claim('w');
  await post(`pieces/${piece.id}/undo`, 409);
  await post(`pieces/${piece.id}/redo`, 409);
  await post(`steps/${step.id}/cancel`, 202);
  await queue.recoverLost(-1);
  expect((await harness.step(step.id)).status).toBe('cancelled');
  expect(((await post(`pieces/${piece.id}/redo`, 200)).body as { scans: number }).scans).toBe(2);
});

test('a step that builds on one that failed or was cancelled is not run; one that does not is', async () => {
  const piece = await harness.newPiece();
  const good = await harness.enqueue(piece.id, 'clean.strays');
  const thin = await harness.enqueue(piece.id, 'clean.thin');
  const fuse = await harness.enqueue(piece.id, 'fuse.surface', { voxel: 1 });
  // Its places would be of use to an import, which goes on without them.
  const register = await harness.enqueue(piece.id, 'register.automatic');
  const broken = await harness.upload(piece.id, 'letter.stl', new TextEncoder().encode('Dear colleague, '.repeat(20)));
  await post(`steps/${good.id}/cancel`, 202);
  const { stop } = await harness.work();
  const ended = async (s: StepView | string) => harness.finished(typeof s === 'string' ? s : s.id);
  expect(await ended(thin)).toMatchObject({
    status: 'cancelled',
    attempt: 0,
    error: expect.stringMatching(/stray.*was cancelled.*not run/i),
  });
  for (const step of [fuse, register]) expect(await ended(step)).toMatchObject({ status: 'cancelled', attempt: 0 });
  // An import takes nothing from them: it ran, and failed for its own reason.
  expect(await ended(broken)).toMatchObject({
    status: 'failed',
    attempt: 1,
    error: expect.stringContaining('not an STL file'),
  });
  await stop();
});

test('a step whose worker went silent is taken up again, and fails clearly when that happens too often', async () => {
  const piece = await harness.newPiece();
  const step = await harness.enqueue(piece.id, 'clean.strays');
  for (let attempt = 1; attempt <= 3; attempt++) {
    expect((await harness.step(step.id)).status).toBe('queued');
    expect(await queue.claim(`w${attempt}`)).toMatchObject({ id: step.id, attempt });
    await queue.recoverLost(-1);
  }
  expect(await harness.step(step.id)).toMatchObject({
    status: 'failed',
    error: expect.stringContaining('lost 3 times'),
  });
});

test('a lease that another took over changes nothing', async () => {
  const piece = await harness.newPiece();
  const step = await harness.enqueue(piece.id, 'clean.strays');
  await queue.claim('w1');
  const lease = { stepId: step.id, worker: 'w1', attempt: 1 };
  expect(await queue.beat(lease)).toBe(true);
  await queue.recoverLost(-1);
  await queue.claim('w2');
  expect(await queue.beat(lease)).toBe(false);
  await queue.handBack(lease);
  expect(await harness.step(step.id)).toMatchObject({ status: 'running', attempt: 2 });
});

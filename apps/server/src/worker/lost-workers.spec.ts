import { spawn, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { DataSource } from 'typeorm';
import { Harness, scanFile } from '../../test/harness.js';

/** What happens to work when worker processes die, sleep or are told to stop: real processes, real signals. */
const children: ChildProcess[] = [];
let harness: Harness;

/** Starts a worker process of the built server. */
function startWorker(): Promise<ChildProcess> {
  const child = spawn(process.execPath, [fileURLToPath(new URL('../../dist/worker/main.js', import.meta.url))], {
    env: { ...process.env, NODE_OPTIONS: '', DATABASE_URL: harness.databaseUrl },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  children.push(child);
  return new Promise((resolve) => child.stdout!.on('data', (d: Buffer) => /ready/.test(String(d)) && resolve(child)));
}

const gone = (child: ChildProcess): Promise<void> =>
  new Promise((resolve) => {
    if (child.exitCode !== null || child.signalCode !== null) resolve();
    else child.once('exit', () => resolve());
  });

async function end(child: ChildProcess, signal: NodeJS.Signals): Promise<void> {
  child.kill(signal);
  await gone(child);
}

/** A piece whose fusing takes a while, with that step under way. */
async function fusing() {
  const piece = await harness.newPiece();
  await harness.finished(await harness.upload(piece.id, 'front.ply', scanFile(60_000)));
  await harness.finished((await harness.enqueue(piece.id, 'register.automatic')).id);
  const step = await harness.enqueue(piece.id, 'fuse.surface', { voxel: 0.4 });
  await harness.until(step.id, (s) => s.status === 'running' && s.progress > 0);
  return { piece, step };
}

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_lost_workers');
});

afterEach(() => Promise.all(children.splice(0).map((c) => (c.kill('SIGCONT'), end(c, 'SIGKILL')))));
afterAll(() => harness.app.close());

test('a killed worker loses no step: another takes it up and finishes it', async () => {
  const first = await startWorker();
  const { piece, step } = await fusing();
  await end(first, 'SIGKILL');

  // Nobody works, nothing is broken: the piece can be looked at and asked for more.
  expect((await harness.piece(piece.id)).mesh).toBeNull();
  expect((await harness.step(step.id)).status).toBe('running');
  const next = await harness.enqueue(piece.id, 'mend.all');

  await startWorker();
  expect(await harness.finished(step.id)).toMatchObject({ status: 'done', attempt: 2 });
  expect(await harness.finished(next.id)).toMatchObject({ status: 'done', attempt: 1 });
  expect((await harness.piece(piece.id)).watertight).toBe(true);
});

test('a worker that slept stores nothing beside the one that took its step up', async () => {
  const sleeper = await startWorker();
  const { piece, step } = await fusing();
  sleeper.kill('SIGSTOP');
  await startWorker();
  expect(await harness.finished(step.id)).toMatchObject({ status: 'done', attempt: 2 });
  const mesh = (await harness.piece(piece.id)).mesh;
  sleeper.kill('SIGCONT');
  // It works on: once it has taken another step, it has ended the one that it slept over.
  await end(children[1], 'SIGTERM');
  const next = await harness.enqueue(piece.id, 'mend.all');
  expect(await harness.finished(next.id)).toMatchObject({ status: 'done', attempt: 1 });
  const rows = await harness.app
    .get(DataSource)
    .query<{ n: number }[]>('SELECT count(*)::int AS n FROM artifact WHERE step_id = $1 AND kind = $2', [
      step.id,
      'mesh',
    ]);
  expect(rows).toEqual([{ n: 1 }]);
  expect((await harness.step(step.id)).outputs).toEqual([mesh!.id]);
  const versions = (await harness.http().get(`/api/pieces/${piece.id}/versions`)).body as { title: string }[];
  expect(versions).toHaveLength(5);
});

test('a worker that is told to stop hands its step back, untouched', async () => {
  let worker = await startWorker();
  const { piece, step } = await fusing();
  const next = await harness.enqueue(piece.id, 'mend.all');
  for (let k = 0; k < 3; k++) {
    await harness.until(step.id, (s) => s.status === 'running');
    await end(worker, 'SIGTERM');
    expect(worker.exitCode).toBe(0);
    expect(await harness.step(step.id)).toMatchObject({ status: 'queued', attempt: 0, error: null });
    expect((await harness.step(next.id)).status).toBe('queued');
    worker = await startWorker();
  }
  expect(await harness.finished(step.id)).toMatchObject({ status: 'done', attempt: 1 });
  expect(await harness.finished(next.id)).toMatchObject({ status: 'done' });
});

test('a step that is queued without anybody being told is found', async () => {
  await startWorker();
  const piece = await harness.newPiece();
  const [{ id }] = await harness.app
    .get(DataSource)
    .query<{ id: string }[]>(
      `INSERT INTO step (piece_id, operation_id, operation_version, params, seed, status) VALUES ($1, 'clean.strays', 1, '{}', 1, 'queued') RETURNING id`,
      [piece.id],
    );
  expect(await harness.finished(id)).toMatchObject({ status: 'failed', attempt: 1 });
});

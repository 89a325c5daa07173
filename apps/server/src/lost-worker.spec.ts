import { spawn, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { Harness, scanFile } from '../test/harness.js';

/** What happens to work when worker processes die: real processes, killed without warning. */
const databaseUrl = process.env.DATABASE_URL!.replace(/\/[^/]*$/, '/amberknit_lost_worker');
const children: ChildProcess[] = [];
let harness: Harness;

/** Starts a worker process of the built server. */
function startWorker(): Promise<ChildProcess> {
  const child = spawn(process.execPath, [fileURLToPath(new URL('../dist/worker/main.js', import.meta.url))], {
    env: { ...process.env, NODE_OPTIONS: '', DATABASE_URL: databaseUrl },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  children.push(child);
  return new Promise((resolve) => child.stdout!.on('data', (d: Buffer) => /ready/.test(String(d)) && resolve(child)));
}

const gone = (child: ChildProcess): Promise<void> => new Promise((resolve) => child.once('exit', () => resolve()));

beforeAll(async () => {
  const admin = new pg.Client({ connectionString: process.env.DATABASE_URL!.replace(/\/[^/]*$/, '/postgres') });
  await admin.connect();
  await admin.query('CREATE DATABASE amberknit_lost_worker');
  await admin.end();
  harness = await Harness.start(databaseUrl);
}, 60_000);

afterAll(async () => {
  for (const child of children.filter((c) => c.exitCode === null && c.signalCode === null)) {
    child.kill('SIGTERM');
    await gone(child);
  }
  await harness.app.close();
}, 60_000);

test('a killed worker loses no step: another takes it up and finishes it', async () => {
  const first = await startWorker();
  const piece = await harness.newPiece();
  await harness.finished(await harness.upload(piece.id, 'front.ply', scanFile(120_000)));
  await harness.finished((await harness.enqueue(piece.id, 'register.automatic')).id);
  const step = await harness.enqueue(piece.id, 'fuse.surface', { voxel: 0.25 });
  await harness.until(step.id, (s) => s.status === 'running' && s.progress > 0);
  first.kill('SIGKILL');
  await gone(first);

  // Nobody works, nothing is broken: the piece can be looked at and asked for more.
  expect((await harness.piece(piece.id)).mesh).toBeNull();
  expect((await harness.step(step.id)).status).toBe('running');
  const next = await harness.enqueue(piece.id, 'mend.all');

  await startWorker();
  expect(await harness.finished(step.id)).toMatchObject({ status: 'done', attempt: 2 });
  expect(await harness.finished(next.id)).toMatchObject({ status: 'done', attempt: 1 });
  expect((await harness.piece(piece.id)).watertight).toBe(true);
}, 180_000);

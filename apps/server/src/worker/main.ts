import 'reflect-metadata';
import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import pg from 'pg';
import { readConfig } from '../config.js';
import { openDatabase } from '../database/data-source.js';
import { PieceStore } from '../pieces/piece-store.js';
import { CHANNELS, StepQueue } from '../steps/step-queue.js';
import { BlobStore } from '../storage/blob-store.js';
import { StepRunner } from './step-runner.js';

/** Worker process: takes steps from the queue until it is told to stop. More processes do more steps at once. */
const config = readConfig();
const db = await openDatabase(config.databaseUrl);
const blobs = new BlobStore(db);
const queue = new StepQueue(config.databaseUrl, db);
const threadFile = new URL('./thread.js', import.meta.url);
const reading = join(config.uploadDir, 'reading');
for (const pid of await readdir(reading).catch(() => [])) {
  if (!isRunning(Number(pid))) await rm(join(reading, pid), { recursive: true, force: true });
}
const workDir = join(reading, String(process.pid));
const runner = new StepRunner(db, blobs, new PieceStore(db, blobs), queue, threadFile, workDir);

const listener = new pg.Client({ connectionString: config.databaseUrl });
await listener.connect();
await listener.query(`LISTEN ${CHANNELS.cancel}`);
listener.on('notification', (n) => n.payload && runner.cancel(n.payload));

await queue.work(Number(process.env.WORKER_STEPS ?? 1), (id) => runner.handle(id));
const recovery = setInterval(() => void queue.recoverLost().catch(() => undefined), 2000);
console.log('Worker ready.');

let stopping = false;
const stop = async (): Promise<void> => {
  if (stopping) return;
  stopping = true;
  clearInterval(recovery);
  await runner.stop();
  await queue.stop();
  await listener.end();
  await db.destroy();
  process.exit(0);
};
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
process.on('disconnect', () => void stop());

/** Whether a process of this machine still lives: what a killed worker was reading may go. */
function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}

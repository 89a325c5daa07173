import 'reflect-metadata';
import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { readConfig } from '../config.js';
import { openDatabase } from '../database/data-source.js';
import { sayReady } from '../log/log.js';
import { PieceStore } from '../pieces/piece-store.js';
import { StepQueue } from '../steps/step-queue.js';
import { BlobStore } from '../storage/blob-store.js';
import { StepRunner } from './step-runner.js';
import { StepWorker } from './step-worker.js';

/** Worker process: takes steps from the queue until it is told to stop. More processes do more steps at once. */
const config = readConfig();
const db = await openDatabase(config.databaseUrl);
const blobs = new BlobStore(db);
const queue = new StepQueue(db);
const threadFile = new URL('./thread.js', import.meta.url);
const reading = join(config.uploadDir, 'reading');
for (const pid of await readdir(reading).catch(() => [])) {
  if (!isRunning(Number(pid))) await rm(join(reading, pid), { recursive: true, force: true });
}
const workDir = join(reading, String(process.pid));
const runner = new StepRunner(db, blobs, new PieceStore(db, blobs), queue, threadFile, workDir);
const worker = new StepWorker(config.databaseUrl, queue, runner);
await worker.start(Number(process.env.WORKER_STEPS ?? 1));
sayReady('Worker ready.');

let stopping = false;
const stop = async (): Promise<void> => {
  if (stopping) return;
  stopping = true;
  await worker.stop();
  await db.destroy();
  process.exit(0);
};
for (const signal of ['SIGTERM', 'SIGINT', 'SIGHUP', 'disconnect'] as const) process.on(signal, () => void stop());

/** Whether a process of this machine still lives: what a killed worker was reading may go. */
function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}

import { Worker } from 'node:worker_threads';
import { mkdir, rm } from 'node:fs/promises';
import { hostname } from 'node:os';
import { join } from 'node:path';
import type { DataSource } from 'typeorm';
import { sharedCancelFlag } from '@amber-knit/core/runtime';
import { findOperation, parseParams } from '@amber-knit/operations';
import { Artifact, Piece, ScanRow, Step } from '../database/entities.js';
import type { PieceStore } from '../pieces/piece-store.js';
import { namesById, scansIn } from '../pieces/scan-labels.js';
import { CHANNELS, type StepQueue } from '../steps/step-queue.js';
import { placementsRekeyed } from '../storage/artifact-codec.js';
import type { BlobStore } from '../storage/blob-store.js';
import type { ThreadJob, ThreadMessage, ThreadResult } from './thread.js';

/** A thread that has not stopped this long after the request is ended by force. */
const CANCEL_GRACE_MS = 700;

interface Running {
  flag: Int32Array;
  thread?: Worker;
  cancelled: boolean;
}

/** Takes steps from the queue and runs each in a thread of its own. */
export class StepRunner {
  private readonly running = new Map<string, Running>();

  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly pieces: PieceStore,
    private readonly queue: StepQueue,
    private readonly threadFile: URL,
    /** Where uploaded files lie while they are read, and large results until they are stored. */
    private readonly workDir: string,
    private readonly name = `${hostname()}:${process.pid}`,
  ) {}

  /** Runs one delivered step to its end. Never throws: failures are written to the step. */
  async handle(stepId: string): Promise<void> {
    const step = await this.claim(stepId);
    if (!step) return;
    const state: Running = { flag: sharedCancelFlag(), cancelled: step.cancelRequested };
    this.running.set(stepId, state);
    const beat = setInterval(() => {
      void this.db.query('UPDATE step SET heartbeat = now() WHERE id = $1', [stepId]).catch(() => undefined);
    }, 1000);
    try {
      const { result, outputs } = await this.runAndStore(step, state);
      await this.finish(stepId, {
        status: 'done',
        progress: 1,
        figures: result.figures,
        summary: result.summary,
        outputs,
      });
      await this.queue.notify(CHANNELS.piece, step.pieceId);
    } catch (e) {
      const cancelled = state.cancelled || e instanceof CancelledError;
      await this.finish(
        stepId,
        cancelled
          ? { status: 'cancelled' }
          : {
              status: 'failed',
              error: e instanceof Error ? e.message : String(e),
              ...(e instanceof StepFault ? { figures: e.facts } : {}),
            },
      );
    } finally {
      clearInterval(beat);
      this.running.delete(stepId);
    }
  }

  /** Raises the cancel flag of a step that runs here; ends its thread if it does not stop by itself. */
  cancel(stepId: string): void {
    const state = this.running.get(stepId);
    if (!state || state.cancelled) return;
    state.cancelled = true;
    Atomics.store(state.flag, 0, 1);
    setTimeout(() => void state.thread?.terminate(), CANCEL_GRACE_MS);
  }

  async stop(): Promise<void> {
    await Promise.all(Array.from(this.running.values(), (s) => s.thread?.terminate()));
  }

  /** Marks a queued step as running here, one step of a piece at a time. */
  private async claim(stepId: string): Promise<Step | undefined> {
    const claimed = await this.db.transaction(async (manager) => {
      const step = await manager.findOneBy(Step, { id: stepId });
      if (!step || step.status !== 'queued') return undefined;
      await manager.findOne(Piece, { where: { id: step.pieceId }, lock: { mode: 'pessimistic_write' } });
      const earlier = (await manager.query(
        `SELECT 1 FROM step WHERE piece_id = $1 AND id <> $2 AND (status = 'running' OR (status = 'queued' AND created_at < $3)) LIMIT 1`,
        [step.pieceId, stepId, step.createdAt],
      )) as unknown[];
      if (earlier.length > 0) return 'later' as const;
      Object.assign(step, {
        status: 'running',
        startedAt: new Date(),
        heartbeat: new Date(),
        attempt: step.attempt + 1,
        worker: this.name,
        progress: 0,
      });
      return manager.save(step);
    });
    if (claimed === 'later') {
      await this.queue.send(stepId, 1);
      return undefined;
    }
    if (claimed) await this.queue.notify(CHANNELS.step, stepId);
    return claimed;
  }

  private async runAndStore(step: Step, state: Running): Promise<{ result: ThreadResult; outputs: string[] }> {
    const dir = join(this.workDir, `${step.id}-${step.attempt}`);
    await mkdir(dir, { recursive: true });
    try {
      const job = await this.loadJob(step, state.flag.buffer as SharedArrayBuffer, dir);
      if (state.cancelled) throw new CancelledError();
      const result = await this.runThread(step, state, job);
      if (state.cancelled) throw new CancelledError();
      const outputs = await this.pieces.applyResult(step.pieceId, step.id, result, step.sourceSetup ?? 'Setup 1');
      return { result, outputs };
    } finally {
      await rm(dir, { recursive: true, force: true });
    }
  }

  private runThread(step: Step, state: Running, job: ThreadJob): Promise<ThreadResult> {
    const notes: string[] = [];
    let lastWrite = 0;
    return new Promise<ThreadResult>((resolve, reject) => {
      const thread = new Worker(this.threadFile, { workerData: job, resourceLimits: { maxOldGenerationSizeMb: 8192 } });
      state.thread = thread;
      thread.on('message', (m: ThreadMessage) => {
        if (m.type === 'done') resolve(m.result);
        else if (m.type === 'failed')
          reject(m.code === 'cancelled' ? new CancelledError() : new StepFault(m.message, m.facts));
        else if (m.type === 'note') {
          notes.push(m.text);
          void this.db.query('UPDATE step SET notes = $2 WHERE id = $1', [step.id, JSON.stringify(notes)]);
        } else if (Date.now() - lastWrite > 200) {
          lastWrite = Date.now();
          void this.db
            .query('UPDATE step SET progress = $2, progress_stage = $3, heartbeat = now() WHERE id = $1', [
              step.id,
              m.fraction,
              m.stage,
            ])
            .then(() => this.queue.notify(CHANNELS.step, step.id))
            .catch(() => undefined);
        }
      });
      thread.on('error', reject);
      thread.on('exit', () =>
        reject(
          state.cancelled
            ? new CancelledError()
            : new Error('The computation ended without a result. Nothing was changed.'),
        ),
      );
    });
  }

  /** Reads what the operation needs from the piece's state as it stands now, and notes it on the step. */
  private async loadJob(step: Step, cancelFlag: SharedArrayBuffer, dir: string): Promise<ThreadJob> {
    const operation = findOperation(step.operationId);
    const wanted = new Set<string>([...operation.needs, ...(operation.uses ?? [])]);
    const piece = await this.db.manager.findOneByOrFail(Piece, { id: step.pieceId });
    const heads = await this.pieces.heads(piece);
    const inputs: string[] = [];
    const artifact = (id: string): Promise<Artifact> => this.db.manager.findOneByOrFail(Artifact, { id });
    const input = (id: string): Promise<Artifact> => {
      inputs.push(id);
      return artifact(id);
    };
    const bytes = async (id: string | undefined | null): Promise<Uint8Array | undefined> =>
      id ? this.blobs.get((await input(id)).blobSha256) : undefined;
    const job: ThreadJob = {
      operationId: step.operationId,
      params: step.params,
      seed: step.seed,
      cancelFlag,
      scans: [],
      resultsDir: dir,
    };
    const rows = scansIn(
      heads,
      await this.db.manager.find(ScanRow, { where: { pieceId: step.pieceId }, order: { colorIndex: 'ASC' } }),
    );
    if (wanted.has('scans')) {
      const read = operation.reads?.(parseParams(operation.params, step.params)) ?? [];
      for (const row of rows) {
        if (read.length > 0 && !read.includes(row.name)) continue;
        const cloud = await input(heads.clouds[row.id]);
        const baseId = cloud.facts.base as string | undefined;
        job.scans.push({
          name: row.name,
          setup: row.setup,
          cloud: await this.blobs.get(cloud.blobSha256),
          storedAs: baseId ?? cloud.id,
          // What a cut was made of never changes: it is no input of its own.
          base: baseId ? await this.blobs.get((await artifact(baseId)).blobSha256) : undefined,
          frames: await bytes(row.framesId),
        });
      }
    }
    const placements = wanted.has('placements') ? await bytes(heads.placements) : undefined;
    if (placements) job.placements = placementsRekeyed(placements, namesById(rows)).bytes;
    if (wanted.has('mesh')) job.mesh = await bytes(heads.mesh);
    if (wanted.has('model')) job.model = await bytes(heads.model);
    if (wanted.has('file') && step.sourceSha256) {
      job.file = { name: step.sourceName ?? 'scan', path: join(dir, 'source') };
      await this.blobs.copyTo(step.sourceSha256, job.file.path);
    }
    await this.db.manager.update(Step, step.id, { inputs });
    return job;
  }

  private async finish(stepId: string, change: Partial<Step>): Promise<void> {
    await this.db.manager.update(Step, stepId, { ...change, finishedAt: new Date(), worker: null } as never);
    await this.queue.notify(CHANNELS.step, stepId);
  }
}

class CancelledError extends Error {}

/** What an operation refused, with the figures behind it. */
class StepFault extends Error {
  constructor(
    message: string,
    readonly facts: Readonly<Record<string, number>>,
  ) {
    super(message);
  }
}

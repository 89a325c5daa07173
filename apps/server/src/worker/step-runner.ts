import { Worker } from 'node:worker_threads';
import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { In, type DataSource } from 'typeorm';
import { sharedCancelFlag } from '@amber-knit/core/runtime';
import { findOperation, parseParams } from '@amber-knit/operations';
import { Artifact, Piece, ScanRow, Step } from '../database/entities.js';
import { isConnectionFault, onceReachable } from '../database/connection-fault.js';
import { log } from '../log/log.js';
import { lockPiece } from '../pieces/piece-lock.js';
import type { PieceStore } from '../pieces/piece-store.js';
import { namesById, scansIn } from '../pieces/scan-labels.js';
import { assertHeld, changeHeld, changeHeldOrFail, LostLeaseError, type Lease } from '../steps/lease.js';
import { CHANNELS, type StepQueue } from '../steps/step-queue.js';
import { placementsRekeyed } from '../storage/artifact-codec.js';
import type { BlobStore } from '../storage/blob-store.js';
import { DISK_FULL, isDiskFull } from '../storage/disk-space.js';
import type { ThreadJob, ThreadMessage, ThreadResult } from './thread.js';

/** A thread that has not stopped this long after the request is ended by force. */
const CANCEL_GRACE_MS = 700;
/** So often a running step is said to be alive; silent for eight seconds, it is taken for lost. */
const BEAT_MS = 1000;

interface Running {
  lease: Lease;
  flag: Int32Array;
  thread?: Worker;
  /** Somebody asked for it to stop. */
  cancelled: boolean;
  /** This worker ends, or another has the step by now: nothing of it may be stored. */
  givenUp: boolean;
}

/** Runs steps, each in a thread of its own, and stores what comes of them if they are still this worker's then. */
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
  ) {}

  /** Runs a claimed step to its end. Never throws: failures are written to the step. */
  async run(step: Step): Promise<void> {
    const lease: Lease = { stepId: step.id, worker: step.worker ?? '', attempt: step.attempt };
    const state: Running = { lease, flag: sharedCancelFlag(), cancelled: step.cancelRequested, givenUp: false };
    this.running.set(step.id, state);
    const told = log.child({ step: step.id, piece: step.pieceId, operation: step.operationId, attempt: step.attempt });
    const begun = performance.now();
    told.info('step began');
    let fault: unknown;
    const beat = setInterval(() => {
      this.queue.beat(lease).then(
        (held) => held || this.giveUp(state),
        () => undefined,
      );
    }, BEAT_MS);
    try {
      await this.runAndStore(step, state);
    } catch (e) {
      fault = e;
      await this.end(state, e);
    } finally {
      clearInterval(beat);
      this.running.delete(step.id);
      const ms = Math.round(performance.now() - begun);
      told.info(
        fault === undefined ? { ms } : { ms, why: wordsOf(fault) },
        fault === undefined ? 'step done' : 'step ended',
      );
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

  /** Cancels what should have been cancelled while nobody could be heard. */
  async cancelMissed(): Promise<void> {
    const ids = [...this.running.keys()];
    for (const { id } of await this.db.manager.findBy(Step, { id: In(ids), cancelRequested: true })) this.cancel(id);
  }

  /** Ends all threads; their steps are handed back to the queue. What is being stored is stored to its end. */
  stop(): void {
    for (const state of this.running.values()) this.giveUp(state);
  }

  private giveUp(state: Running): void {
    state.givenUp = true;
    void state.thread?.terminate();
  }

  /** Writes how a step ended that brought no result. */
  private async end(state: Running, e: unknown): Promise<void> {
    const { lease } = state;
    if (e instanceof LostLeaseError) return;
    // While the database is away nobody else can take it either.
    const held = (): boolean => this.running.get(lease.stepId) === state;
    const write = async (): Promise<void> => {
      if (state.cancelled || e instanceof CancelledError) return this.finish(lease, { status: 'cancelled' });
      if (state.givenUp || isConnectionFault(e)) return this.queue.handBack(lease);
      const figures = e instanceof StepFault ? { figures: JSON.stringify(e.facts) } : {};
      await this.finish(lease, { status: 'failed', error: wordsOf(e), ...figures });
    };
    await onceReachable(write, held).catch((fault: unknown) => {
      if (!(fault instanceof LostLeaseError))
        log.error({ err: fault, step: lease.stepId }, 'How a step ended could not be written.');
    });
  }

  private async finish(lease: Lease, change: Record<string, unknown>): Promise<void> {
    await this.db.transaction(async (manager) => {
      await changeHeldOrFail(lease, { ...change, finished_at: new Date() }, manager);
      await this.queue.notify(CHANNELS.step, lease.stepId, manager);
    });
  }

  private async runAndStore(step: Step, state: Running): Promise<void> {
    const dir = join(this.workDir, `${step.id}-${step.attempt}`);
    const check = (): void => {
      if (state.cancelled) throw new CancelledError();
      if (state.givenUp) throw new LostThreadError();
    };
    await mkdir(dir, { recursive: true });
    try {
      const job = await this.loadJob(step, state, dir);
      check();
      const result = await this.runThread(step, state, job);
      check();
      // The results are here: a database that is away for a moment does not cost them.
      await onceReachable(
        () => this.store(step, state.lease, result),
        () => !state.givenUp && !state.cancelled,
      );
    } finally {
      await rm(dir, { recursive: true, force: true });
    }
  }

  /**
   * Stores results and ends the step in one transaction: there is never one without the other, and never twice.
   * @throws LostLeaseError if the step is another's by now
   */
  private async store(step: Step, lease: Lease, result: ThreadResult): Promise<void> {
    await this.db.transaction(async (manager) => {
      await lockPiece(step.pieceId, manager);
      const { status, worker, attempt } = await manager.findOneByOrFail(Step, { id: step.id });
      // It stands already: only the word of it was lost with the connection.
      if (status === 'done' && worker === lease.worker && attempt === lease.attempt) return;
      await assertHeld(lease, manager);
      const setup = step.sourceSetup ?? 'Setup 1';
      const outputs = await this.pieces.applyResult(step.pieceId, step.id, result, setup, manager);
      const { figures, summary } = result;
      await changeHeldOrFail(
        lease,
        {
          status: 'done',
          progress: 1,
          figures: JSON.stringify(figures),
          summary,
          outputs,
          finished_at: new Date(),
        },
        manager,
      );
      await this.queue.notify(CHANNELS.step, step.id, manager);
      await this.queue.notify(CHANNELS.piece, step.pieceId, manager);
    });
  }

  private runThread(step: Step, state: Running, job: ThreadJob): Promise<ThreadResult> {
    const notes: string[] = [];
    let lastWrite = 0;
    // What is told on the way is no part of the result: it may get lost.
    const tell = (change: Record<string, unknown>): void => {
      changeHeld(state.lease, change, this.db.manager)
        .then((held) => (held ? this.queue.notify(CHANNELS.step, step.id) : this.giveUp(state)))
        .catch(() => undefined);
    };
    return new Promise<ThreadResult>((resolve, reject) => {
      const thread = new Worker(this.threadFile, { workerData: job, resourceLimits: { maxOldGenerationSizeMb: 8192 } });
      state.thread = thread;
      thread.on('message', (m: ThreadMessage) => {
        if (m.type === 'done') resolve(m.result);
        else if (m.type === 'failed') reject(faultOf(m));
        else if (m.type === 'note') {
          notes.push(m.text);
          tell({ notes: JSON.stringify(notes) });
        } else if (Date.now() - lastWrite > 200) {
          lastWrite = Date.now();
          tell({ progress: m.fraction, progress_stage: m.stage });
        }
      });
      thread.on('error', reject);
      thread.on('exit', () =>
        reject(
          state.cancelled
            ? new CancelledError()
            : state.givenUp
              ? new LostThreadError()
              : new Error('the computation ended without a result'),
        ),
      );
    });
  }

  /** Reads what the operation needs from the piece's state as it stands now, and notes it on the step. */
  private async loadJob(step: Step, { lease, flag }: Running, dir: string): Promise<ThreadJob> {
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
      cancelFlag: flag.buffer as SharedArrayBuffer,
      scans: [],
      resultsDir: dir,
    };
    const rows = scansIn(
      heads,
      await this.db.manager.find(ScanRow, { where: { pieceId: step.pieceId }, order: { colorIndex: 'ASC' } }),
    );
    const read = operation.reads?.(parseParams(operation.params, step.params)) ?? [];
    if (wanted.has('scans') && read !== 'none') {
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
    if (wanted.has('light')) job.light = await bytes(heads.light);
    if (wanted.has('trust')) job.trust = await bytes(heads.trust);
    if (wanted.has('dimensions')) job.dimensions = await bytes(heads.dimensions);
    if (wanted.has('deviation')) job.deviation = await bytes(heads.deviation);
    if (wanted.has('placings')) job.placings = await bytes(heads.placings);
    if (wanted.has('surroundings') && heads.surroundings) {
      const { facts, blobSha256 } = await input(heads.surroundings);
      job.surroundings = { name: String(facts.name), bytes: await this.blobs.get(blobSha256) };
    }
    if (wanted.has('file') && step.sourceSha256) {
      job.file = { name: step.sourceName ?? 'scan', path: join(dir, 'source') };
      await this.blobs.copyTo(step.sourceSha256, job.file.path);
    }
    await changeHeldOrFail(lease, { inputs }, this.db.manager);
    return job;
  }
}

class CancelledError extends Error {}

/** The thread was ended because this worker ends or no longer holds the step. */
class LostThreadError extends Error {}

/** What a thread said of its end, as an error. */
function faultOf({ code, message, facts }: Extract<ThreadMessage, { type: 'failed' }>): Error {
  if (code === 'cancelled') return new CancelledError();
  return code === 'unforeseen' ? new Error(message) : new StepFault(message, facts);
}

/** What went wrong, for the person who asked for the step. */
export function wordsOf(e: unknown): string {
  if (e instanceof StepFault) return e.message;
  if (isDiskFull(e)) return DISK_FULL;
  if ((e as { code?: string })?.code === 'ERR_WORKER_OUT_OF_MEMORY')
    return 'This needed more memory than a step may take. Nothing was changed; try it with lighter settings or fewer points.';
  return `The step failed unexpectedly (${e instanceof Error ? e.message : String(e)}). Nothing was changed.`;
}

/** What an operation refused, with the figures behind it. */
export class StepFault extends Error {
  constructor(
    message: string,
    readonly facts: Readonly<Record<string, number>>,
  ) {
    super(message);
  }
}

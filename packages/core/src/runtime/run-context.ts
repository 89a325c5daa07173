import { createRandom, type Random } from '../math/random.js';
import { GeometryError } from './geometry-error.js';

/**
 * What a running computation may ask of its surroundings: progress, cancellation and seeded random numbers.
 * A busy thread sees no messages, so cancellation is a shared-memory flag (see `sharedCancelFlag`).
 */
export interface RunContext {
  /** Reports monotonic progress (0–1) and throws `GeometryError('cancelled')` if the run was cancelled. */
  checkpoint(fraction: number, stage?: string): void;
  /** Next number of the run's seeded generator, uniform in [0, 1). */
  random(): number;
  /** A context whose 0–1 covers `from`–`to` of this one. */
  part(from: number, to: number, stage?: string): RunContext;
  /** Counts and notices for the step's log, e.g. "3 frames without a pose were left out". */
  note(message: string): void;
  /** Other cores to work on, if there are any. */
  readonly pool?: TaskPool;
}

/**
 * Runs independent parts of a computation on several cores. Core knows only this interface: Node threads and web workers
 * stand behind it. A task is a pure function of `packages/core/src/tasks`, known by its name; `shared` and the items
 * are copied to where it runs, so they must be plain data.
 */
export interface TaskPool {
  readonly size: number;
  /**
   * Results in the order of the items, whatever order they were computed in; reports progress and obeys cancellation
   * through `ctx` between items. Rejects with the task's own error. Several may run beside each other.
   */
  map(task: string, shared: unknown, items: readonly unknown[], ctx: RunContext): Promise<unknown[]>;
}

export interface RunContextOptions {
  seed?: number;
  /** Called with progress at most about 200 times a run. */
  onProgress?: (fraction: number, stage: string) => void;
  onNote?: (message: string) => void;
  /** One 32-bit word; non-zero means "stop". May be backed by a SharedArrayBuffer. */
  cancelFlag?: Int32Array;
  pool?: TaskPool;
}

/** Creates the root context of a run. The same seed gives the same random numbers. */
export function createRunContext(options: RunContextOptions = {}): RunContext {
  const random: Random = createRandom(options.seed ?? 1);
  const { cancelFlag, onProgress, onNote } = options;
  let reached = 0;
  let reported = -1;
  let reportedStage = '';

  const checkpoint = (fraction: number, stage: string): void => {
    if (cancelFlag && Atomics.load(cancelFlag, 0) !== 0) {
      throw new GeometryError('cancelled', 'Cancelled. Nothing was changed.');
    }
    reached = Math.max(reached, Math.min(1, fraction));
    if (onProgress && (reached - reported >= 0.005 || stage !== reportedStage)) {
      reported = reached;
      reportedStage = stage;
      onProgress(reached, stage);
    }
  };

  const span = (from: number, to: number, stage: string): RunContext => ({
    checkpoint: (fraction, own) => checkpoint(from + (to - from) * Math.min(1, Math.max(0, fraction)), own ?? stage),
    random,
    part: (a, b, own) => span(from + (to - from) * a, from + (to - from) * b, own ?? stage),
    note: (message) => onNote?.(message),
    pool: options.pool,
  });
  return span(0, 1, '');
}

/** A cancellation flag that other threads can raise: `Atomics.store(flag, 0, 1)`. */
export function sharedCancelFlag(buffer: SharedArrayBuffer = new SharedArrayBuffer(4)): Int32Array {
  return new Int32Array(buffer);
}

import { randomBytes } from 'node:crypto';
import { hostname } from 'node:os';
import { DatabaseListener } from '../database/database-listener.js';
import { CHANNELS, type StepQueue } from '../steps/step-queue.js';
import type { StepRunner } from './step-runner.js';

/** A step that nobody was told of is found so often. */
const LOOK_EVERY_MS = 1000;
const RECOVER_EVERY_MS = 2000;

/** Takes steps from the queue, a number of them at once, until it is told to stop. */
export class StepWorker {
  /** Process ids come again; the rest of the name does not. */
  private readonly name = `${hostname()}:${process.pid}:${randomBytes(4).toString('hex')}`;
  private readonly listener: DatabaseListener;
  private readonly loops: Promise<void>[] = [];
  private readonly sleepers = new Set<() => void>();
  private recovery?: NodeJS.Timeout;
  private stopping = false;

  constructor(
    databaseUrl: string,
    private readonly queue: StepQueue,
    private readonly runner: StepRunner,
  ) {
    this.listener = new DatabaseListener(databaseUrl, {
      channels: [CHANNELS.cancel, CHANNELS.queued],
      heard: (channel, stepId) => (channel === CHANNELS.cancel ? runner.cancel(stepId) : this.wake()),
      connected: () => void runner.cancelMissed().catch(() => undefined),
    });
  }

  async start(atOnce = 1): Promise<void> {
    await this.listener.start();
    this.recovery = setInterval(() => void this.queue.recoverLost().catch(() => undefined), RECOVER_EVERY_MS);
    for (let i = 0; i < atOnce; i++) this.loops.push(this.loop());
  }

  /** Ends what runs, hands it back, and resolves when nothing is left. */
  async stop(): Promise<void> {
    this.stopping = true;
    clearInterval(this.recovery);
    this.runner.stop();
    this.wake();
    await Promise.all(this.loops);
    await this.listener.stop();
  }

  private async loop(): Promise<void> {
    while (!this.stopping) {
      // Without a database there is nothing to do; it is asked again.
      const step = await this.queue.claim(this.name).catch(() => undefined);
      if (step) {
        // It may have been asked to stop while it was being taken.
        const running = this.runner.run(step);
        if (this.stopping) this.runner.stop();
        await running;
      } else if (!this.stopping) await this.sleep();
    }
  }

  private sleep(): Promise<void> {
    return new Promise((resolve) => {
      const wake = (): void => {
        clearTimeout(timer);
        this.sleepers.delete(wake);
        resolve();
      };
      const timer = setTimeout(wake, LOOK_EVERY_MS);
      this.sleepers.add(wake);
    });
  }

  private wake(): void {
    for (const wake of [...this.sleepers]) wake();
  }
}

import type { OnModuleDestroy } from '@nestjs/common';
import PgBoss from 'pg-boss';
import type { DataSource } from 'typeorm';

export const QUEUE = 'steps';
/** PostgreSQL channels: a step changed, a piece changed, a step should stop. */
export const CHANNELS = { step: 'amber_step', piece: 'amber_piece', cancel: 'amber_cancel' } as const;

/** Delivers step ids to workers through pg-boss; the step's own row holds its state. */
export class StepQueue implements OnModuleDestroy {
  private readonly boss: PgBoss;
  private started?: Promise<void>;

  constructor(
    databaseUrl: string,
    private readonly db: DataSource,
  ) {
    // No timed jobs here: without its schedule pg-boss runs no workers of its own.
    this.boss = new PgBoss({ connectionString: databaseUrl, max: 3, schedule: false });
    // A lost connection is retried by pg-boss itself; without a listener it would end the process.
    this.boss.on('error', () => undefined);
  }

  start(): Promise<void> {
    return (this.started ??= (async () => {
      await this.boss.start();
      await this.boss.createQueue(QUEUE);
    })());
  }

  async send(stepId: string, delaySeconds = 0): Promise<void> {
    await this.start();
    await this.boss.send(
      QUEUE,
      { stepId },
      { retryLimit: 0, ...(delaySeconds > 0 ? { startAfter: delaySeconds } : {}) },
    );
  }

  /** Calls `handle` for each delivered step, `count` at a time. */
  async work(count: number, handle: (stepId: string) => Promise<void>): Promise<void> {
    await this.start();
    for (let i = 0; i < count; i++) {
      await this.boss.work<{ stepId: string }>(QUEUE, { pollingIntervalSeconds: 0.5, batchSize: 1 }, async ([job]) =>
        handle(job.data.stepId),
      );
    }
  }

  async notify(channel: string, payload: string): Promise<void> {
    await this.db.query('SELECT pg_notify($1, $2)', [channel, payload]);
  }

  /**
   * Takes up steps whose worker has gone silent: queues them once more, or fails them after the second loss. The piece
   * is untouched either way, since results are stored only at the end.
   */
  async recoverLost(silentSeconds = 8): Promise<void> {
    const lost = (await this.db.query(
      `UPDATE step SET status = CASE WHEN cancel_requested THEN 'cancelled' WHEN attempt < 2 THEN 'queued' ELSE 'failed' END,
              error = CASE WHEN attempt < 2 THEN NULL ELSE 'The worker was lost twice while running this step. Nothing was changed; try it with lighter settings.' END,
              finished_at = CASE WHEN attempt < 2 AND NOT cancel_requested THEN NULL ELSE now() END, progress = 0, worker = NULL
       WHERE status = 'running' AND heartbeat < now() - make_interval(secs => $1) RETURNING id, status`,
      [silentSeconds],
    )) as [{ id: string; status: string }[], number];
    for (const row of lost[0]) {
      if (row.status === 'queued') await this.send(row.id);
      await this.notify(CHANNELS.step, row.id);
    }
  }

  async stop(): Promise<void> {
    if (this.started) await this.boss.stop({ graceful: false, wait: true });
  }

  /** The application closes: the queue's connections and loops end with it. */
  onModuleDestroy(): Promise<void> {
    return this.stop();
  }
}

import { In, type DataSource, type EntityManager } from 'typeorm';
import { Step } from '../database/entities.js';
import { changeHeld, type Lease } from './lease.js';
import { titleOf } from './step-view.js';

/** PostgreSQL channels: a step changed, a piece changed, a step should stop, a step waits to be taken. */
export const CHANNELS = {
  step: 'amber_step',
  piece: 'amber_piece',
  cancel: 'amber_cancel',
  queued: 'amber_queued',
} as const;

/** A step that lost its worker so often is given up: it may be what ends them. */
const MOST_ATTEMPTS = 3;
/** So long after the database has started nobody is taken for silent: nobody could be heard before. */
const SETTLING_SECONDS = 5;

/**
 * The queue of steps is the table of steps: a row that says `queued` waits, and a worker takes it by writing its name into
 * it. There is no second list that could disagree with the ledger.
 */
export class StepQueue {
  constructor(private readonly db: DataSource) {}

  /** Tells listeners, once the manager's transaction stands. */
  async notify(channel: string, payload: string, manager: EntityManager = this.db.manager): Promise<void> {
    await manager.query('SELECT pg_notify($1, $2)', [channel, payload]);
  }

  /**
   * Takes the oldest step that may run: no other step of its piece runs or waits longer. A step that builds on one that
   * failed is ended here, not run.
   * @returns nothing if there is none
   */
  async claim(worker: string): Promise<Step | undefined> {
    for (;;) {
      const taken = await this.db.transaction((manager) => this.tryClaim(worker, manager));
      if (taken !== 'again') return taken;
    }
  }

  private async tryClaim(worker: string, manager: EntityManager): Promise<Step | undefined | 'again'> {
    const first = `s.status = 'queued' AND NOT EXISTS (SELECT 1 FROM step e WHERE e.piece_id = s.piece_id AND e.id <> s.id
      AND (e.status = 'running' OR (e.status = 'queued' AND e.number < s.number)))`;
    const [found] = (await manager.query(
      `SELECT s.id FROM step s JOIN piece p ON p.id = s.piece_id WHERE ${first}
       ORDER BY s.number LIMIT 1 FOR UPDATE OF s, p SKIP LOCKED`,
    )) as { id: string }[];
    if (!found) return undefined;
    // Once the piece is locked nothing else of it can begin; what began just before is seen now.
    const still = (await manager.query(`SELECT 1 FROM step s WHERE s.id = $1 AND ${first}`, [found.id])) as unknown[];
    if (still.length === 0) return 'again';
    const step = await manager.findOneByOrFail(Step, { id: found.id });
    const broken = await this.brokenGround(step, manager);
    if (broken) {
      await manager.update(Step, step.id, { ...broken, finishedAt: new Date() });
      await this.notify(CHANNELS.step, step.id, manager);
      return 'again';
    }
    await manager.query(
      `UPDATE step SET status = 'running', started_at = now(), heartbeat = now(), worker = $2, attempt = attempt + 1, progress = 0
       WHERE id = $1`,
      [step.id, worker],
    );
    await this.notify(CHANNELS.step, step.id, manager);
    return manager.findOneByOrFail(Step, { id: step.id });
  }

  /** How a step ends because one that it builds on did not come to a good end; nothing if all did. */
  private async brokenGround(step: Step, manager: EntityManager): Promise<Pick<Step, 'status' | 'error'> | undefined> {
    if (step.after.length === 0) return undefined;
    const broken = await manager.findOne(Step, {
      where: { id: In(step.after), status: In(['failed', 'cancelled']) },
      order: { number: 'ASC' },
    });
    if (!broken) return undefined;
    const how = broken.status === 'failed' ? 'failed' : 'was cancelled';
    const error = `“${titleOf(broken)}”, which this builds on, ${how}; so it was not run. Nothing was changed.`;
    return { status: broken.status, error };
  }

  /** Says that a step is still worked on. @returns false if it is no longer this worker's */
  beat(lease: Lease): Promise<boolean> {
    return changeHeld(lease, {}, this.db.manager);
  }

  /** Gives a step back untouched: the next worker takes it, and this try does not count. */
  async handBack(lease: Lease): Promise<void> {
    await this.db.transaction(async (manager) => {
      const change = { status: 'queued', worker: null, attempt: lease.attempt - 1, progress: 0, progress_stage: '' };
      if (!(await changeHeld(lease, change, manager))) return;
      await this.notify(CHANNELS.step, lease.stepId, manager);
      await this.notify(CHANNELS.queued, lease.stepId, manager);
    });
  }

  /**
   * Takes up steps whose worker has gone silent: queues them again, or fails them when that happened too often. The piece is
   * untouched either way, since results are stored only at the end. While the database was away nobody could be heard.
   */
  async recoverLost(silentSeconds = 8): Promise<void> {
    await this.db.transaction(async (manager) => {
      const [lost] = (await manager.query(
        `UPDATE step SET
           status = CASE WHEN cancel_requested THEN 'cancelled' WHEN attempt < $2 THEN 'queued' ELSE 'failed' END,
           error = CASE WHEN cancel_requested OR attempt < $2 THEN NULL
             ELSE 'The worker was lost ' || attempt || ' times while running this step. Nothing was changed; try it with lighter settings.' END,
           finished_at = CASE WHEN attempt < $2 AND NOT cancel_requested THEN NULL ELSE now() END, progress = 0, worker = NULL
         WHERE id IN (
           SELECT id FROM step WHERE status = 'running' AND heartbeat < now() - make_interval(secs => $1)
             AND pg_postmaster_start_time() < now() - interval '${SETTLING_SECONDS} seconds' FOR UPDATE SKIP LOCKED)
         RETURNING id, status`,
        [silentSeconds, MOST_ATTEMPTS],
      )) as [{ id: string; status: string }[], number];
      for (const row of lost) {
        await this.notify(CHANNELS.step, row.id, manager);
        if (row.status === 'queued') await this.notify(CHANNELS.queued, row.id, manager);
      }
    });
  }
}

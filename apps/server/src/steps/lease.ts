import type { EntityManager } from 'typeorm';
import { Step } from '../database/entities.js';

/** A worker's hold on a running step: whoever takes the step up after it has another name or a higher attempt. */
export interface Lease {
  stepId: string;
  worker: string;
  attempt: number;
}

/** The step is no longer this worker's: it was silent for too long, and another has it. */
export class LostLeaseError extends Error {
  constructor(lease: Lease) {
    super(`Step ${lease.stepId} is no longer held by ${lease.worker}, attempt ${lease.attempt}.`);
  }
}

const HELD = `id = $1 AND worker = $2 AND attempt = $3 AND status = 'running'`;
const asParameters = (lease: Lease): unknown[] => [lease.stepId, lease.worker, lease.attempt];

/**
 * Changes the columns of a step that is still held.
 * @param change column names with their values
 * @returns false if it is not held: nothing was changed
 */
export async function changeHeld(
  lease: Lease,
  change: Readonly<Record<string, unknown>>,
  manager: EntityManager,
): Promise<boolean> {
  const columns = Object.keys(change);
  const set = columns.map((column, i) => `${column} = $${i + 4}`);
  const [, count] = (await manager.query(`UPDATE step SET ${['heartbeat = now()', ...set].join(', ')} WHERE ${HELD}`, [
    ...asParameters(lease),
    ...columns.map((c) => change[c]),
  ])) as [unknown, number];
  return count > 0;
}

/** The same, where not holding it is a fault. @throws LostLeaseError */
export async function changeHeldOrFail(
  lease: Lease,
  change: Readonly<Record<string, unknown>>,
  manager: EntityManager,
): Promise<void> {
  if (!(await changeHeld(lease, change, manager))) throw new LostLeaseError(lease);
}

/** @throws LostLeaseError if the step is not held */
export async function assertHeld(lease: Lease, manager: EntityManager): Promise<void> {
  const { stepId: id, worker, attempt } = lease;
  if (!(await manager.existsBy(Step, { id, worker, attempt, status: 'running' }))) throw new LostLeaseError(lease);
}

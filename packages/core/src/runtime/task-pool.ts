import type { RunContext } from './run-context.js';

/**
 * Runs independent parts of a computation on several cores. Core knows only this interface: Node threads and web workers
 * stand behind it. A task is a pure function of `packages/core/src/tasks`, known by its name; `shared` and the items
 * are copied to where it runs, so they must be plain data.
 */
export interface TaskPool {
  readonly size: number;
  /**
   * Results in the order of the items, whatever order they were computed in; reports progress and obeys cancellation
   * through `ctx` between items. Rejects with the task's own error.
   */
  map(task: string, shared: unknown, items: readonly unknown[], ctx: RunContext): Promise<unknown[]>;
}

/** A task as it is written down: what all items share, and one item. */
export type Task<S, I, R> = (shared: S, item: I) => R;

/** Runs a task over items on the context's pool, or here if it has none. The results are the same either way. */
export async function mapTask<S, I, R>(
  name: string,
  task: Task<S, I, R>,
  shared: S,
  items: readonly I[],
  ctx: RunContext,
): Promise<R[]> {
  if (ctx.pool && ctx.pool.size > 1 && items.length > 1) return ctx.pool.map(name, shared, items, ctx) as Promise<R[]>;
  return items.map((item, i) => {
    ctx.checkpoint(i / items.length);
    return task(shared, item);
  });
}

import type { RunContext } from './run-context.js';

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

/**
 * Starts one task on another core, to be waited for later; on this one at once if there is no other. An error shows where the
 * result is waited for.
 * @param here the same computation on this core
 */
export function runBeside<R>(
  name: string,
  shared: unknown,
  item: unknown,
  ctx: RunContext,
  here: () => Promise<R>,
): Promise<R> {
  const beside = ctx.pool && ctx.pool.size > 1;
  const result = beside ? ctx.pool!.map(name, shared, [item], ctx).then(([r]) => r as R) : here();
  result.catch(() => undefined);
  return result;
}

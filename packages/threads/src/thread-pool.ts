import { Worker } from 'node:worker_threads';
import { GeometryError, type RunContext, type TaskPool } from '@amber-knit/core/runtime';
import type { FromThread, ToThread } from './thread.js';

/**
 * Node threads as a task pool. Threads start with the first task and stay until `close`. Tasks asked for while others run share the
 * threads that are left, and have one at least. A task that fails or is cancelled ends its threads: the work of a lost item is not waited for.
 */
export class ThreadPool implements TaskPool {
  private readonly threads = new Set<Worker>();
  private readonly idle: Worker[] = [];

  /** @param entry built code of `thread.ts`; only tests need another than its own */
  constructor(
    readonly size: number,
    private readonly entry = new URL('./thread.js', import.meta.url),
  ) {}

  async map(task: string, shared: unknown, items: readonly unknown[], ctx: RunContext): Promise<unknown[]> {
    const threads = this.take(Math.min(this.size, items.length));
    const results = new Array<unknown>(items.length);
    let next = 0;
    let done = 0;
    try {
      await Promise.all(
        threads.map(
          (thread) =>
            new Promise<void>((resolve, reject) => {
              const tell = (m: ToThread): void => thread.postMessage(m);
              const feed = (): void => {
                if (next < items.length) {
                  const index = next++;
                  tell({ type: 'item', index, item: items[index] });
                } else {
                  thread.off('message', hear).off('error', reject).off('exit', ended);
                  resolve();
                }
              };
              const hear = (m: FromThread): void => {
                try {
                  if (m.type === 'failed') throw m.code ? new GeometryError(m.code, m.message) : new Error(m.message);
                  results[m.index] = m.value;
                  ctx.checkpoint(++done / items.length);
                  feed();
                } catch (e) {
                  reject(e as Error);
                }
              };
              const ended = (): void => reject(new Error('A thread ended in the middle of its work.'));
              thread.on('message', hear).on('error', reject).on('exit', ended);
              tell({ type: 'task', name: task, shared });
              feed();
            }),
        ),
      );
    } catch (e) {
      await this.end(threads);
      throw e;
    }
    this.idle.push(...threads);
    return results;
  }

  /** Ends all threads. */
  async close(): Promise<void> {
    await this.end([...this.threads]);
  }

  /** Up to so many threads that have nothing to do. */
  private take(count: number): Worker[] {
    const taken = this.idle.splice(0, count);
    while (taken.length < count && (taken.length === 0 || this.threads.size < this.size)) {
      const thread = new Worker(this.entry);
      this.threads.add(thread);
      taken.push(thread);
    }
    return taken;
  }

  private async end(ending: readonly Worker[]): Promise<void> {
    for (const thread of ending) {
      thread.removeAllListeners();
      this.threads.delete(thread);
      if (this.idle.includes(thread)) this.idle.splice(this.idle.indexOf(thread), 1);
    }
    await Promise.all(ending.map((t) => t.terminate()));
  }
}

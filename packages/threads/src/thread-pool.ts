import { Worker } from 'node:worker_threads';
import { GeometryError, type RunContext, type TaskPool } from '@amber-knit/core/runtime';
import type { FromThread, ToThread } from './thread.js';

/**
 * Node threads as a task pool. Threads start with the first task and stay until `close`; one task runs at a time.
 * Cancelling ends the threads: the work of a lost item is not waited for.
 */
export class ThreadPool implements TaskPool {
  private threads: Worker[] = [];

  /** @param entry built code of `thread.ts`; only tests need another than its own */
  constructor(
    readonly size: number,
    private readonly entry = new URL('./thread.js', import.meta.url),
  ) {}

  async map(task: string, shared: unknown, items: readonly unknown[], ctx: RunContext): Promise<unknown[]> {
    const count = Math.min(this.size, items.length);
    while (this.threads.length < count) this.threads.push(new Worker(this.entry));
    const results = new Array<unknown>(items.length);
    let next = 0;
    let done = 0;
    try {
      await Promise.all(
        this.threads.slice(0, count).map(
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
      await this.close();
      throw e;
    }
    return results;
  }

  /** Ends all threads. */
  async close(): Promise<void> {
    const ending = this.threads;
    this.threads = [];
    ending.forEach((t) => t.removeAllListeners());
    await Promise.all(ending.map((t) => t.terminate()));
  }
}

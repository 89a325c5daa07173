import type { TaskPool } from '../src/runtime/index.js';
import { openTask } from '../src/tasks/index.js';

/** A pool that runs its items last to first, each each with a copy of what is shared, as threads do. */
export const backwardPool: TaskPool = {
  size: 2,
  async map(task, shared, items) {
    const out = new Array<unknown>(items.length);
    for (let i = items.length - 1; i >= 0; i--) out[i] = await openTask(task, structuredClone(shared))(items[i]);
    return out;
  },
};

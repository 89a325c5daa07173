import { parentPort } from 'node:worker_threads';
import { GeometryError, type GeometryErrorCode } from '@amber-knit/core/runtime';
import { openTask } from '@amber-knit/core/tasks';

/** What a thread is told: a task with its shared data, then items of it. */
export type ToThread = { type: 'task'; name: string; shared: unknown } | { type: 'item'; index: number; item: unknown };

export type FromThread =
  { type: 'result'; index: number; value: unknown } | { type: 'failed'; message: string; code?: GeometryErrorCode };

if (parentPort) {
  const port = parentPort;
  const send = (m: FromThread): void => port.postMessage(m);
  let run: (item: unknown) => unknown;
  const answer = async (m: ToThread): Promise<void> => {
    try {
      if (m.type === 'task') run = openTask(m.name, m.shared);
      else send({ type: 'result', index: m.index, value: await run(m.item) });
    } catch (e) {
      send({
        type: 'failed',
        message: e instanceof Error ? e.message : String(e),
        code: e instanceof GeometryError ? e.code : undefined,
      });
    }
  };
  port.on('message', (m: ToThread) => void answer(m));
}

import { setTimeout as sleep } from 'node:timers/promises';
import type { DataSource, EntityManager } from 'typeorm';
import { Harness } from '../../test/harness.js';
import { isConnectionFault, onceReachable } from './connection-fault.js';
import { openDatabase } from './data-source.js';

let db: DataSource;
beforeAll(async () => {
  db = await openDatabase(await Harness.newDatabase('amberknit_faults'));
});
afterAll(() => db.destroy());

/** Ends the connection that a transaction runs on, as a restart of the database does. */
async function cutOff(manager: EntityManager): Promise<void> {
  const [{ pid }] = (await manager.query('SELECT pg_backend_pid() AS pid')) as { pid: number }[];
  await db.query('SELECT pg_terminate_backend($1)', [pid]);
  // The driver hears of it, and the mapper gives its runner up.
  await sleep(100);
}

test('a transaction whose connection was cut off between two queries is done again', async () => {
  let tries = 0;
  const said: string[] = [];
  const answer = await onceReachable(() =>
    db.transaction(async (manager) => {
      if (++tries === 1) await cutOff(manager);
      const [{ one }] = (await manager.query('SELECT 1 AS one').catch((e: Error) => {
        said.push(e.message);
        throw e;
      })) as { one: number }[];
      return one;
    }),
  );
  expect([answer, tries]).toEqual([1, 2]);
  expect(said).toEqual([expect.stringMatching(/already released|terminated|not queryable|Client/)]);
});

test('what the database refuses is no fault of the connection', async () => {
  const e: unknown = await db.query('SELECT nothing FROM nowhere').catch((fault: unknown) => fault);
  expect(isConnectionFault(e)).toBe(false);
  expect(isConnectionFault(new Error('57P01'))).toBe(false);
});

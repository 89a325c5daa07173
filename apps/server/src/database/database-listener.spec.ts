import pg from 'pg';
import { Harness } from '../../test/harness.js';
import { DatabaseListener } from './database-listener.js';

const url = process.env.DATABASE_URL!;
let admin: pg.Client;

beforeAll(async () => {
  admin = new pg.Client({ connectionString: url });
  await admin.connect();
});
afterAll(() => admin.end());

/** Waits until something holds. */
async function until(holds: () => boolean): Promise<void> {
  while (!holds()) await new Promise((r) => setTimeout(r, 20));
}
const cutAll = (query: string) =>
  admin.query(
    `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE $1 AND pid <> pg_backend_pid()`,
    [query],
  );

test('it listens again however often the connection is lost, and says so', async () => {
  const heard: string[] = [];
  const connected: boolean[] = [];
  const listener = new DatabaseListener(url, {
    channels: ['amber_test_channel'],
    heard: (channel, payload) => heard.push(`${channel} ${payload}`),
    connected: (again) => connected.push(again),
  });
  await listener.start();
  for (let k = 1; k <= 3; k++) {
    await admin.query('SELECT pg_notify($1, $2)', ['amber_test_channel', String(k)]);
    await until(() => heard.length === k);
    await cutAll('%amber_test_channel%');
    await until(() => connected.length === k + 1);
  }
  expect(connected).toEqual([false, true, true, true]);
  await listener.stop();
});

test('a server that is not there is tried again for ever', async () => {
  const connected: boolean[] = [];
  const listener = new DatabaseListener('postgres://nobody@127.0.0.1:9/none', {
    channels: ['x'],
    heard: () => undefined,
    connected: (again) => connected.push(again),
  });
  await listener.start();
  expect(connected).toEqual([]);
  await listener.stop();
});

test('browsers are told to ask anew, and hear events again', async () => {
  const harness = await Harness.start(url);
  const abort = new AbortController();
  const answer = await fetch(`${harness.base}/api/events`, { signal: abort.signal });
  let text = '';
  const reading = (async () => {
    for await (const part of answer.body!) text += new TextDecoder().decode(part as Uint8Array);
  })().catch(() => undefined);
  await cutAll('LISTEN "amber_step"; LISTEN "amber_piece"');
  await until(() => text.includes('"type":"anew"'));
  const piece = await harness.newPiece();
  await harness.http().patch(`/api/pieces/${piece.id}`).send({ name: 'Other' }).expect(200);
  await until(() => text.includes(piece.id));
  abort.abort();
  await reading;
  await harness.app.close();
});

import { Harness } from '../../test/harness.js';

/** Figures of the real application with a real database. */
let open: Harness;
let closed: Harness;

beforeAll(async () => {
  open = await Harness.startOnOwnDatabase('metrics');
  closed = await Harness.start(open.databaseUrl, { accounts: true, metricsToken: 'a long key' });
});

afterAll(async () => {
  await closed.app.close();
  await open.app.close();
});

/** Values by name and labels, as they are written. */
async function figures(): Promise<Map<string, number>> {
  const { text, headers } = await open.http().get('/metrics').expect(200);
  expect(headers['content-type']).toContain('version=0.0.4');
  const lines = text.split('\n').filter((l) => l && !l.startsWith('#'));
  // The text format: name, labels in braces, value (Prometheus, Exposition formats, version 0.0.4).
  const name = '[a-zA-Z_:][a-zA-Z0-9_:]*';
  const label = `${name}="[^"]*"`;
  const figure = new RegExp(`^${name}(\\{${label}(,${label})*\\})? (NaN|[+-]?Inf|[-+.\\de]+)$`);
  for (const line of lines) expect(line).toMatch(figure);
  return new Map(lines.map((l) => [l.slice(0, l.lastIndexOf(' ')), Number(l.slice(l.lastIndexOf(' ') + 1))]));
}

test('steps, pieces, room and requests are told, by patterns and not by ids', async () => {
  const { id } = await open.newPiece();
  await open.enqueue(id, 'check.inspect');
  await open.http().get(`/api/pieces/${id}`).expect(200);
  await open.http().get('/api/nothing/here').expect(404);
  const page = new AbortController();
  await fetch(`${open.base}/api/events`, { signal: page.signal });
  const told = await figures();
  page.abort();
  expect(told.get('amber_steps{status="queued"}')).toBe(1);
  expect(told.get('amber_pieces')).toBe(1);
  expect(told.get('amber_oldest_queued_seconds')).toBeGreaterThan(0);
  expect(told.get('amber_disk_free_bytes')).toBeGreaterThan(1e6);
  expect(told.get('amber_listeners')).toBe(1);
  expect(told.get('process_resident_memory_bytes')).toBeGreaterThan(1e7);
  const count = (route: string, status: number, method = 'GET') =>
    told.get(`amber_request_seconds_count{method="${method}",route="${route}",status="${status}"}`);
  expect(count('/api/pieces/:id', 200)).toBe(1);
  expect(count('/api/pieces', 201, 'POST')).toBe(1);
  expect([...told.keys()].join()).not.toContain(id);
});

test('with accounts, or a key, whoever has no key gets nothing', async () => {
  const ask = (authorization?: string) => {
    const asked = closed.http().get('/metrics');
    return authorization ? asked.set('authorization', authorization) : asked;
  };
  await ask().expect(401);
  await ask('Bearer another key').expect(401);
  await ask('a long key').expect(401);
  expect((await ask('Bearer a long key').expect(200)).text).toContain('amber_pieces');
});

import { Harness } from '../../test/harness.js';
import { oddRequests, type ApiDescription } from '../../test/odd-requests.js';

/** Requests a route; `ODD_REQUESTS` asks for more by command. */
const EACH = Number(process.env.ODD_REQUESTS ?? 12);
const LONGEST = 5000;
/** What no answer may show: where the program lies, how it got there, what it asked the database. */
const INSIDE = /node_modules|\bat \S+ \(|\.[jt]s:\d+|\/dist\/|SELECT |INSERT |QueryFailed/;

let harness: Harness;
beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('odd_requests');
});
afterAll(() => harness.app.close());

test('no request that the description allows to be thought of ends in a fault, a hang or a look inside', async () => {
  const api = (await harness.http().get('/api/docs-json').expect(200)).body as ApiDescription;
  const work = await harness.work();
  const piece = await harness.placedPair();
  await work.stop();
  const ids = [piece.id, ...piece.scanList.map((s) => s.id)];
  const faults: string[] = [];
  const statuses = new Map<number, number>();
  let asked = 0;
  for (const { method, path, headers, body } of oddRequests(api, { id: ids, pieceId: ids }, EACH, 7)) {
    asked++;
    const ended = new AbortController();
    const timer = setTimeout(() => ended.abort(), LONGEST);
    const shown = `${method} ${path.slice(0, 120)} ${(body ?? '').slice(0, 200)}`;
    try {
      const answer = await fetch(`${harness.base}${path}`, { method, headers, body, signal: ended.signal });
      statuses.set(answer.status, (statuses.get(answer.status) ?? 0) + 1);
      if (answer.status >= 500 && answer.status !== 503) faults.push(`${shown}: ${answer.status}`);
      // Events go on for ever: that they began is all there is to see.
      const endless = answer.headers.get('content-type')?.includes('event-stream');
      if (endless) ended.abort();
      else if (answer.status >= 400) {
        const text = await answer.text();
        if (INSIDE.test(text)) faults.push(`${shown}: shows ${text.slice(0, 200)}`);
      } else await answer.arrayBuffer();
    } catch (error) {
      faults.push(`${shown}: ${ended.signal.aborted ? 'no answer in 5 s' : String(error)}`);
    } finally {
      clearTimeout(timer);
    }
  }
  expect(faults).toEqual([]);
  expect(asked).toBeGreaterThan(80 * EACH);
  // Both what is right and what is wrong was asked.
  expect(statuses.get(400)).toBeGreaterThan(asked / 20);
  expect([...statuses].filter(([s]) => s < 300).reduce((n, [, k]) => n + k, 0)).toBeGreaterThan(asked / 20);
  // The server is well, and so is what it keeps.
  await harness.http().get('/ready').expect(200);
  expect(await harness.violations()).toEqual([]);
}, 600_000);

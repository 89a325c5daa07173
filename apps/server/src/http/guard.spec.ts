import { request as httpRequest } from 'node:http';
import type { PieceView, Problem } from '@amber-knit/contracts';
import { FIRST_ANSWERS } from '@amber-knit/planning';
import { Harness } from '../../test/harness.js';

let harness: Harness;
let piece: PieceView;

beforeAll(async () => {
  harness = await Harness.start(process.env.DATABASE_URL!);
  piece = await harness.newPiece();
});
afterAll(() => harness.app.close());

/** A request as it goes over the wire; `fetch` writes headers of its own. @returns status, headers and text */
function send(
  method: string,
  path: string,
  headers: Record<string, string> = {},
  body?: string | Buffer,
): Promise<{ status: number; headers: Record<string, unknown>; text: string }> {
  return new Promise((resolve, reject) => {
    const request = httpRequest(`${harness.base}${path}`, { method, headers }, (answer) => {
      let text = '';
      answer.on('data', (d: Buffer) => (text += String(d)));
      answer.on('end', () => resolve({ status: answer.statusCode!, headers: answer.headers, text }));
    });
    request.on('error', reject);
    request.end(body);
  });
}

const json = { 'content-type': 'application/json' };

test('requests of other sites’ pages are turned away, our own and programs’ are not', async () => {
  const body = JSON.stringify({ name: 'Planted' });
  const status = async (headers: Record<string, string>): Promise<number> =>
    (await send('POST', '/api/pieces', { ...json, ...headers }, body)).status;
  expect(await status({})).toBe(201);
  expect(await status({ origin: harness.base, 'sec-fetch-site': 'same-origin' })).toBe(201);
  for (const origin of ['http://evil.example', 'null', 'http://127.0.0.1:1'])
    expect(await status({ origin })).toBe(403);
  expect(await status({ 'sec-fetch-site': 'cross-site' })).toBe(403);
  expect(await status({ host: 'rebound.example:4780' })).toBe(421);
  expect((await send('GET', '/api/pieces', { host: 'rebound.example' })).status).toBe(421);
  expect((await send('POST', `/api/pieces/${piece.id}/undo`, { origin: 'http://evil.example' })).status).toBe(403);
});

test('forms and other bodies that a page may send unasked are no JSON', async () => {
  for (const type of ['application/x-www-form-urlencoded', 'text/plain', 'multipart/form-data; boundary=x']) {
    const answer = await send('POST', '/api/pieces', { 'content-type': type }, 'name=Planted');
    expect([type, answer.status]).toEqual([type, 415]);
  }
  expect((await send('POST', '/api/pieces', {}, '{"name":"x"}')).status).toBe(415);
});

test('pages may load and show nothing but what is ours', async () => {
  const { headers } = await send('GET', '/api/pieces');
  const csp = String(headers['content-security-policy']);
  expect(csp).toMatch(/default-src 'self'/);
  expect(csp).not.toMatch(/unsafe-inline|unsafe-eval'(?<!wasm-unsafe-eval')/);
  expect(csp).toMatch(/frame-ancestors 'none'/);
  expect(headers).toMatchObject({ 'x-content-type-options': 'nosniff', 'cross-origin-resource-policy': 'same-origin' });
  const uploads = await send('OPTIONS', '/api/uploads', { origin: 'http://evil.example' });
  expect(uploads.status).toBe(403);
  expect((await send('HEAD', '/api/uploads/none')).headers['access-control-allow-origin']).toBeUndefined();
});

test('health, readiness, and what is not there', async () => {
  expect(JSON.parse((await send('GET', '/health')).text)).toEqual({ status: 'alive' });
  expect(JSON.parse((await send('GET', '/ready')).text)).toEqual({ status: 'ready' });
  for (const path of ['/api', '/api/', '/api/nothing', '/API/nothing', '/api/pieces/x/y/z', '/health/x']) {
    const { status, headers } = await send('GET', path);
    expect([path, status, headers['content-type']]).toEqual([path, 404, 'application/problem+json; charset=utf-8']);
  }
});

test('what can’t be meant or stored is refused in words, and changes nothing', async () => {
  const before = await harness.piece(piece.id);
  const { plan: _none, ...rest } = { ...FIRST_ANSWERS, plan: 0 };
  const at = `/api/pieces/${piece.id}`;
  const bad: [method: string, path: string, body: unknown][] = [
    ['POST', '/api/pieces', { name: '   ' }],
    ['POST', '/api/pieces', { name: null }],
    ['POST', '/api/pieces', { name: 'a\0b' }],
    ['POST', '/api/pieces', { name: '\ud800' }],
    ['POST', '/api/pieces', { name: 'a', note: null }],
    ['POST', '/api/pieces', []],
    ['POST', '/api/pieces', 'name'],
    ['POST', '/api/pieces', null],
    ['PATCH', at, { name: null }],
    ['PATCH', at, { name: ' ' }],
    ['PATCH', at, { plan: [] }],
    ['PATCH', at, { plan: null }],
    ['PATCH', at, { plan: [rest] }],
    ['PATCH', at, { plan: { ...rest, deviceId: 'a\0' } }],
    ['PATCH', `${at}/scans`, { scans: null, name: 'x' }],
    ['POST', `${at}/steps`, { operationId: 'clean.strays', seed: 2 ** 31 }],
    ['POST', `${at}/steps`, { operationId: 'clean.strays', seed: null }],
    ['POST', `${at}/steps`, { operationId: 'clean.strays', params: null }],
    ['POST', `${at}/steps`, { operationId: 'clean.strays', params: { only: ['\0'] } }],
    ['POST', `${at}/steps`, { operationId: 'clean.strays', params: [] }],
    ['POST', `${at}/captures`, { name: ' ', setup: 'Upright', deviceId: 'one', settings: {} }],
    ['POST', `${at}/captures`, { name: 'a', setup: 'Upright', deviceId: 'one', settings: [] }],
    ['POST', `${at}/captures`, { name: 'a', setup: 'Upright', deviceId: 'one', settings: { '\ud800': 1 } }],
    ['POST', `${at}/imports`, { artifact: piece.id, setup: null }],
    ['GET', `${at}/suggestions?operation=%00`, undefined],
    ['GET', `${at}/suggestions?operation=%E0%A4%A`, undefined],
    ['GET', `${at}/selections/%00`, undefined],
    ['GET', `${at}/selections/%ZZ`, undefined],
  ];
  for (const [method, path, body] of bad) {
    const answer = await send(method, path, json, body === undefined ? undefined : JSON.stringify(body));
    const said = `${method} ${path} ${JSON.stringify(body)}: ${answer.status}`;
    expect(said).toMatch(/: 4(00|15|22)$/);
    expect((JSON.parse(answer.text) as Problem).detail.length).toBeGreaterThan(5);
  }
  const deep = '['.repeat(5000) + ']'.repeat(5000);
  expect((await send('POST', '/api/pieces', json, `{"name":${deep}}`)).status).toBe(400);
  expect((await send('POST', '/api/pieces', json, '{"name":')).status).toBe(400);
  const capture = (
    await harness.http().post(`${at}/captures`).send({ name: 'a', setup: 'b', deviceId: 'c', settings: {} }).expect(201)
  ).body as { id: string };
  for (const sequence of ['3000000000', '-1', '1e9', 'x']) {
    const answer = await send(
      'PUT',
      `/api/captures/${capture.id}/frames/${sequence}`,
      { 'content-type': 'application/octet-stream' },
      Buffer.from('x'),
    );
    expect([sequence, Math.floor(answer.status / 100)]).toEqual([sequence, 4]);
  }
  // No content type, no body.
  expect((await send('PUT', `/api/captures/${capture.id}/frames/0`)).status).toBeLessThan(500);
  expect((await send('PUT', `/api/captures/${capture.id}/frames/0`, {}, Buffer.from('x'))).status).toBeLessThan(500);
  expect((await send('PUT', `${at}/selections/a`, {}, Buffer.from('x'))).status).toBeLessThan(500);
  expect({ ...(await harness.piece(piece.id)), updatedAt: '' }).toEqual({ ...before, updatedAt: '' });
});

test('names of five thousand frames are no too large request', async () => {
  const names = Array.from({ length: 5000 }, (_, i) => `frame with a rather long name, number ${i}`);
  const answer = await harness
    .http()
    .post(`/api/pieces/${piece.id}/steps`)
    .send({ operationId: 'clean.frames', params: { drop: names } });
  expect([202, 400]).toContain(answer.status);
  expect((answer.body as Problem).detail ?? '').not.toMatch(/large/);
});

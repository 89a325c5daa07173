import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import request from 'supertest';
import { DataSource } from 'typeorm';
import type { PieceView, SharedPage, SharedView } from '@amber-knit/contracts';
import { block } from '../../test/block.js';
import { Harness } from '../../test/harness.js';
import { isForSharedViews, isSharedPage, sharedOnly, sharedPageHeaders } from './shared-listener.js';

/** Links to a piece on the real application with a real database. */
let harness: Harness;
let stop: () => Promise<void>;
let piece: PieceView;
let exported: string;
const terms = {
  name: 'For the owner',
  note: 'Please look at the rim.',
  looks: ['shape'],
  measuring: true,
  dimensions: true,
  files: [] as string[],
  endsAt: null as string | null,
};

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_shared');
  ({ stop } = await harness.work());
  const { id } = await harness.newPiece('Block');
  await harness.finished(await harness.upload(id, 'block.ply', block(), { operation: 'mend.bring-in', params: '{}' }));
  await harness.finished(
    (
      await harness.enqueue(id, 'check.measure', {
        dimensions: [{ name: 'Chip', note: 'here', kind: 'note', places: [[0, 0, 0]] }],
      })
    ).id,
  );
  const written = await harness.finished((await harness.enqueue(id, 'deliver.export', { format: 'stl' })).id);
  exported = written.outputs[0];
  piece = await harness.piece(id);
});
afterAll(async () => {
  await stop();
  await harness.app.close();
});

const share = async (more: object = {}): Promise<SharedView> =>
  (
    await harness
      .http()
      .post(`/api/pieces/${piece.id}/shared-views`)
      .send({ ...terms, ...more })
      .expect(201)
  ).body as SharedView;
const tokenOf = ({ address }: SharedView): string => address.split('/').pop()!;
const pageOf = (view: SharedView) => harness.http().get(`/api/shared/${tokenOf(view)}`);
const list = async (): Promise<SharedView[]> =>
  (await harness.http().get(`/api/pieces/${piece.id}/shared-views`).expect(200)).body as SharedView[];

test('a link shows what was allowed, and nothing that leads elsewhere', async () => {
  const view = await share({ files: [exported] });
  expect(view.address).toMatch(/^\/s\/[\w-]{32}$/);
  const { body, headers } = await pageOf(view).expect(200);
  const { sharedAt, ...page } = body as SharedPage;
  expect(Date.parse(sharedAt)).toBeGreaterThan(0);
  expect(page).toEqual({
    title: 'Block',
    note: 'Please look at the rim.',
    looks: ['shape'],
    measuring: true,
    surfaces: ['mesh'],
    triangles: 4400,
    pictures: 8,
    dimensions: true,
    files: [{ name: expect.stringMatching(/\.stl$/) as string, bytes: 84 + 50 * 4400 }],
  });
  expect(headers['cache-control']).toBe('no-store');
  // No id of the piece, of an artifact or of a step is told.
  for (const id of [piece.id, piece.mesh!.id, exported, view.id]) expect(JSON.stringify(body)).not.toContain(id);
  const data = (slot: string) => harness.http().get(`/api/shared/${tokenOf(view)}/data/${slot}`);
  const mesh = await data('mesh').responseType('blob').expect(200);
  const stored = await harness.http().get(`/api/artifacts/${piece.mesh!.id}/data`).responseType('blob').expect(200);
  expect((mesh.body as Buffer).equals(stored.body as Buffer)).toBe(true);
  // A link that ends must end for browsers too.
  expect(mesh.headers['cache-control']).toBe('private, no-cache');
  expect(((await data('dimensions').expect(200)).body as { asked: object[] }).asked).toHaveLength(1);
  for (const slot of ['model', 'light', 'clouds', 'placements', '__proto__', '..%2f..', piece.mesh!.id])
    await data(slot).expect(404);
  const file = await harness
    .http()
    .get(`/api/shared/${tokenOf(view)}/files/0`)
    .responseType('blob')
    .expect(200);
  expect(file.headers['content-disposition']).toMatch(/attachment.*\.stl/);
  await harness
    .http()
    .get(`/api/shared/${tokenOf(view)}/files/1`)
    .expect(404);
  await harness
    .http()
    .get(`/api/shared/${tokenOf(view)}/files/-1`)
    .expect(404);
  const opened = (await list()).find((v) => v.id === view.id)!;
  expect([opened.opened, opened.current, opened.ended]).toEqual([1, true, false]);
});

test('dimensions and files that were not allowed are not there', async () => {
  const view = await share({ dimensions: false });
  expect(((await pageOf(view).expect(200)).body as SharedPage).dimensions).toBe(false);
  await harness
    .http()
    .get(`/api/shared/${tokenOf(view)}/data/dimensions`)
    .expect(404);
  await harness
    .http()
    .get(`/api/shared/${tokenOf(view)}/files/0`)
    .expect(404);
});

test('wrong, ended and foreign links answer all alike', async () => {
  const ended = await share({ endsAt: new Date(Date.now() - 1000).toISOString() });
  const gone = await share();
  await harness.http().delete(`/api/shared-views/${gone.id}`).expect(204);
  const answers = [];
  for (const token of [tokenOf(ended), tokenOf(gone), 'A'.repeat(32), 'short', piece.id, '%00', "'%20OR%201=1", '..']) {
    const { status, body } = await harness.http().get(`/api/shared/${token}/data/mesh`);
    // What can't be an address of ours is refused before anybody looks.
    if (token === '%00' || token === '..') expect([400, 404]).toContain(status);
    else answers.push(JSON.stringify({ status, body: body as object }));
  }
  expect(new Set(answers)).toEqual(
    new Set([
      '{"status":404,"body":{"type":"about:blank","title":"NotFound","status":404,"detail":"There is nothing here."}}',
    ]),
  );
  expect((await list()).find((v) => v.id === ended.id)!.ended).toBe(true);
  await harness.http().delete(`/api/shared-views/${gone.id}`).expect(404);
});

test('a password opens the view for the browser that gave it; guessing makes one wait; a new one shuts others out', async () => {
  const view = await share({ password: 'heron', files: [exported] });
  expect([view.hasPassword, JSON.stringify(view)]).toEqual([true, expect.not.stringContaining('heron')]);
  const token = tokenOf(view);
  for (const path of ['', '/data/mesh', '/data/dimensions', '/files/0']) {
    const { body } = await harness.http().get(`/api/shared/${token}${path}`).expect(401);
    expect(JSON.stringify(body)).not.toContain('Block');
  }
  const give = (password: string) => harness.http().post(`/api/shared/${token}/open`).send({ password });
  await give('egret').expect(401);
  const [cookie] = (await give('heron').expect(204)).headers['set-cookie'] as unknown as string[];
  expect(cookie).toMatch(new RegExp(`Path=/api/shared/${token}; HttpOnly; SameSite=Strict`));
  const key = cookie.split(';')[0];
  await harness.http().get(`/api/shared/${token}/data/mesh`).set('Cookie', key).expect(200);
  for (let k = 0; k < 3; k++) await give('egret').expect(401);
  const { body } = await give('heron').expect(429);
  expect(body).toMatchObject({ detail: 'Too many wrong passwords. Try again in 1 s.' });
  // Changed without naming a password: it stays. With another one: the old key is worth nothing.
  const patch = (more: object) =>
    harness
      .http()
      .patch(`/api/shared-views/${view.id}`)
      .send({ ...terms, ...more });
  await patch({ name: 'For both owners' }).expect(200);
  await harness.http().get(`/api/shared/${token}`).set('Cookie', key).expect(200);
  await patch({ password: 'stork' }).expect(200);
  await harness.http().get(`/api/shared/${token}`).set('Cookie', key).expect(401);
  await patch({ password: '' }).expect(200);
  await harness.http().get(`/api/shared/${token}`).expect(200);
});

test('a link goes on showing what it showed, also when that was undone and forgotten, until it is brought up to date', async () => {
  const view = await share();
  await harness.finished((await harness.enqueue(piece.id, 'mend.reduce', { triangles: 2000 })).id);
  const triangles = async (): Promise<number> => ((await pageOf(view).expect(200)).body as SharedPage).triangles;
  expect(await triangles()).toBe(4400);
  const of = async (): Promise<SharedView> => (await list()).find((v) => v.id === view.id)!;
  expect((await of()).current).toBe(false);
  await harness.http().post(`/api/shared-views/${view.id}/now`).expect(200);
  expect([(await of()).current, (await triangles()) < 2100]).toEqual([true, true]);
  await harness.http().post(`/api/pieces/${piece.id}/undo`).expect(200);
  await harness.http().post(`/api/pieces/${piece.id}/forget-undone`).expect(200);
  expect(await triangles()).toBeLessThan(2100);
  await harness
    .http()
    .get(`/api/shared/${tokenOf(view)}/data/mesh`)
    .expect(200);
  expect(await harness.violations()).toEqual([]);
});

test('a piece that is put away is not looked at; removed, its links go too', async () => {
  const { id } = await harness.newPiece('Lid');
  const refused = await harness.http().post(`/api/pieces/${id}/shared-views`).send(terms).expect(400);
  expect(refused.body).toMatchObject({ detail: expect.stringMatching(/no surface to show yet/) as string });
  await harness.finished(await harness.upload(id, 'block.ply', block(), { operation: 'mend.bring-in', params: '{}' }));
  const view = (await harness.http().post(`/api/pieces/${id}/shared-views`).send(terms).expect(201)).body as SharedView;
  await pageOf(view).expect(200);
  await harness.http().delete(`/api/pieces/${id}`).expect(204);
  await pageOf(view).expect(404);
  await harness.http().delete(`/api/away/${id}`).expect(200);
  const rows = (await harness.app
    .get(DataSource)
    .query('SELECT 1 FROM shared_view WHERE piece_id = $1', [id])) as object[];
  expect(rows).toEqual([]);
});

test('what is no lawful link is refused in words', async () => {
  const other = await harness.newPiece('Other');
  const post = (body: object, id = piece.id) => harness.http().post(`/api/pieces/${id}/shared-views`).send(body);
  for (const body of [
    {},
    { ...terms, looks: ['everything'] },
    { ...terms, endsAt: 'soon' },
    { ...terms, name: ' ' },
    { ...terms, token: 'mine' },
    { ...terms, files: [other.id] },
    { ...terms, files: [piece.mesh!.id] },
  ])
    await post(body).expect(400);
  await post(terms, 'nothing').expect(400);
});

test('the listener of shared views lets through what their pages ask for and nothing else', async () => {
  const view = await share();
  const token = tokenOf(view);
  expect([isSharedPage(`/s/${token}`), isSharedPage('/s/'), isSharedPage('/s/a/b')]).toEqual([true, false, false]);
  const open = [
    `/s/${token}`,
    '/assets/shared-1a.js',
    '/icon.svg',
    `/api/shared/${token}`,
    `/api/shared/${token}/data/mesh`,
  ];
  for (const url of open) expect([url, isForSharedViews({ method: 'GET', url })]).toEqual([url, true]);
  const shut = [
    '/',
    '/index.html',
    '/api/pieces',
    '/api/docs',
    '/api/events',
    '/health',
    `/api/pieces/${piece.id}`,
    '/s/../api/pieces',
    '/assets/../api/pieces',
    '/assets/..%2fapi%2fpieces',
    `/api/shared/${token}/../../pieces`,
    `/api/shared/${token}/data/mesh/x`,
    `//api/pieces`,
    `/api/shared/${token}/open`,
    '/%61pi/pieces',
    'http://elsewhere/api/pieces',
    '*',
    '',
  ];
  for (const url of shut) expect([url, isForSharedViews({ method: 'GET', url })]).toEqual([url, false]);
  expect(isForSharedViews({ method: 'POST', url: `/api/shared/${token}/open` })).toBe(true);
  for (const method of ['POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'CONNECT', undefined])
    expect(isForSharedViews({ method, url: `/api/shared/${token}` })).toBe(false);
  const server: Server = createServer(sharedOnly(harness.app.getHttpAdapter().getInstance() as never));
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const there = request(`http://127.0.0.1:${(server.address() as AddressInfo).port}`);
  await there.get(`/api/shared/${token}`).expect(200);
  await there.get('/api/pieces').expect(404);
  await there.delete(`/api/shared-views/${view.id}`).expect(404);
  await new Promise((done) => server.close(done));
});

test('a shared page is not for search engines, and sends for what it shows first', () => {
  expect(sharedPageHeaders('/s/a-b_c')).toEqual({
    'X-Robots-Tag': 'noindex',
    Link: '</api/shared/a-b_c>; rel=preload; as=fetch; crossorigin, </api/shared/a-b_c/data/picture>; rel=preload; as=image',
  });
  // Nothing that is written into an address gets out of its brackets.
  expect(sharedPageHeaders('/s/a>;rel=x').Link).not.toContain('a>');
});

import type { RemarkView } from '@amber-knit/contracts';
import { PeopleService } from '../accounts/people.service.js';
import { SessionsService } from '../accounts/sessions.service.js';
import { SESSION_COOKIE } from '../accounts/who-asks.js';
import { Harness } from '../../test/harness.js';

/** Remarks on the real application with a real database: by people, and by whoever is alone. */
let harness: Harness;
let alone: Harness;
const cookies: Record<string, string> = {};
const ids: Record<string, string> = {};

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('remarks', { accounts: true });
  alone = await Harness.start(harness.databaseUrl);
  for (const [name, role] of [
    ['Rose', 'reviewer'],
    ['Ann', 'technician'],
    ['Bea', 'technician'],
  ] as const) {
    const { id } = await harness.app.get(PeopleService).add(name, role, 'three short words');
    ids[name] = id;
    cookies[name] = `${SESSION_COOKIE}=${await harness.app.get(SessionsService).open(id)}`;
  }
});

afterAll(async () => {
  await alone.app.close();
  await harness.app.close();
});

const as = (name: string, method: 'get' | 'post' | 'patch' | 'delete' | 'put', path: string, body?: object) => {
  const asked = harness.http()[method](path).set('cookie', cookies[name]);
  return body ? asked.send(body) : asked;
};

test('a reviewer remarks on a piece and on a step; the technician says that it is done; only the two take it back', async () => {
  const { id } = await alone.newPiece();
  await as('Ann', 'put', `/api/pieces/${id}/owner`, { owner: ids.Ann }).expect(204);
  const step = await alone.enqueue(id, 'check.inspect');
  const say = (name: string, body: object) => as(name, 'post', `/api/pieces/${id}/remarks`, body);
  const { body } = await say('Rose', { text: ' The rim is chipped ', stepId: step.id }).expect(201);
  const remark = body as RemarkView;
  expect(remark).toMatchObject({
    by: { id: ids.Rose, name: 'Rose' },
    text: 'The rim is chipped',
    stepId: step.id,
    place: null,
    fresh: true,
    done: null,
  });
  const done = await as('Ann', 'patch', `/api/remarks/${remark.id}`, { done: true }).expect(200);
  expect((done.body as RemarkView).done?.by).toBe('Ann');
  await as('Ann', 'patch', `/api/remarks/${remark.id}`, { done: false }).expect(200);
  await as('Bea', 'delete', `/api/remarks/${remark.id}`).expect(403);
  await as('Rose', 'delete', `/api/remarks/${remark.id}`).expect(204);
  await as('Rose', 'delete', `/api/remarks/${remark.id}`).expect(404);
  const other = (await say('Rose', { text: 'Look again' }).expect(201)).body as RemarkView;
  await as('Ann', 'delete', `/api/remarks/${other.id}`).expect(204);
  expect((await as('Bea', 'get', `/api/pieces/${id}/remarks`).expect(200)).body).toEqual([]);
});

test('what can’t be is refused: no words, a place on nothing, a step of another piece', async () => {
  const [one, two] = [await alone.newPiece(), await alone.newPiece()];
  const step = await alone.enqueue(two.id, 'check.inspect');
  for (const body of [
    { text: '  ' },
    { text: 'x', place: [1, 2, 3] },
    { text: 'x', place: [1, 2] },
    { text: 'x', place: [1, 2, 'three'] },
    { text: 'x', stepId: step.id },
    { text: 'x'.repeat(2001) },
  ])
    await as('Rose', 'post', `/api/pieces/${one.id}/remarks`, body).expect(400);
});

test('without accounts remarks have no name, and anybody takes them back', async () => {
  const { id } = await alone.newPiece();
  const { body } = await alone.http().post(`/api/pieces/${id}/remarks`).send({ text: 'To myself' }).expect(201);
  expect((body as RemarkView).by).toBeNull();
  await alone
    .http()
    .delete(`/api/remarks/${(body as RemarkView).id}`)
    .expect(204);
});

test('who has a piece open is known while they say so', async () => {
  const { id } = await alone.newPiece();
  const here = (name: string, body: object) => as(name, 'put', `/api/pieces/${id}/here`, body);
  expect((await here('Ann', { stage: 'mend' }).expect(200)).body).toEqual([
    { id: ids.Ann, name: 'Ann', stage: 'mend' },
  ]);
  const both = await here('Rose', { stage: null }).expect(200);
  expect((both.body as { name: string }[]).map((p) => p.name)).toEqual(['Ann', 'Rose']);
  await here('Ann', { stage: 'elsewhere' }).expect(400);
  await as('Ann', 'delete', `/api/pieces/${id}/here`).expect(204);
  const { body } = await as('Bea', 'get', `/api/pieces/${id}/here`).expect(200);
  expect(body).toEqual([{ id: ids.Rose, name: 'Rose', stage: null }]);
});

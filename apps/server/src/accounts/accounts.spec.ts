import { DataSource } from 'typeorm';
import type { NewInvitation, PersonView, PieceView, SessionView, StepView } from '@amber-knit/contracts';
import { readConfig } from '../config.js';
import { Invitation, Session } from '../database/entities.js';
import { Harness } from '../../test/harness.js';
import { hashPassword, isPassword } from './passwords.js';
import { PeopleService } from './people.service.js';
import { SESSION_COOKIE } from './who-asks.js';

/** Accounts on the real application with a real database. */
let harness: Harness;
const WORDS = 'three short words';

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('accounts', { accounts: true });
  await harness.app.get(PeopleService).add('Ada', 'administrator', WORDS);
});

afterAll(() => harness.app.close());

const send = (method: 'get' | 'post' | 'put' | 'patch' | 'delete', path: string, cookie?: string, body?: object) => {
  const asked = harness.http()[method](path);
  if (cookie) void asked.set('cookie', cookie);
  return body ? asked.send(body) : asked;
};

async function signIn(name: string, password = WORDS): Promise<string> {
  const answer = await send('post', '/api/session', undefined, { name, password }).expect(200);
  return cookieOf(answer.headers as unknown as Record<string, string[]>);
}
const cookieOf = (headers: Record<string, string[]>): string => headers['set-cookie'][0].split(';')[0];
const session = async (cookie?: string): Promise<SessionView> =>
  (await send('get', '/api/session', cookie).expect(200)).body as SessionView;

/** Invites somebody and takes the invitation for them. @returns their cookie */
async function join(name: string, role: string): Promise<string> {
  const ada = await signIn('Ada');
  const { body } = await send('post', '/api/invitations', ada, { role }).expect(201);
  const { token } = body as NewInvitation;
  const answer = await send('post', `/api/invitations/${token}`, undefined, { name, password: WORDS }).expect(200);
  return cookieOf(answer.headers as unknown as Record<string, string[]>);
}
async function person(name: string): Promise<PersonView> {
  const { body } = await send('get', '/api/people', await signIn('Ada')).expect(200);
  return (body as PersonView[]).find((p) => p.name === name)!;
}

test('a password is found again, a wrong one and nobody’s are not; hashes of an older cost still count', async () => {
  const stored = await hashPassword('brown jug');
  expect(await isPassword('brown jug', stored)).toBe(true);
  expect(await isPassword('brown jag', stored)).toBe(false);
  expect(await isPassword('', undefined)).toBe(false);
  // RFC 7914, section 12, third vector, cut to 32 bytes.
  const rfc = `16384:8:1:${Buffer.from('SodiumChloride').toString('hex')}:7023bdcb3afd7348461c06cd81fd38ebfda8fbba904f8e3ea9b543f6545da1f2`;
  expect(await isPassword('pleaseletmein', rfc)).toBe(true);
  expect(await isPassword('pleaseletmein', rfc.split(':').slice(3).join(':'))).toBe(true);
});

test('who is signed in is known by a cookie that no program in a page reads, until they sign out', async () => {
  expect(await session()).toEqual({ accounts: true, person: null });
  const answer = await send('post', '/api/session', undefined, { name: 'ada', password: WORDS }).expect(200);
  const [full] = (answer.headers as unknown as Record<string, string[]>)['set-cookie'];
  expect(full).toMatch(/; Path=\/api;/);
  expect(full).toContain('HttpOnly');
  expect(full).toContain('SameSite=Strict');
  // Over TLS, which a proxy on this machine adds, it never goes without.
  const far = await send('post', '/api/session', undefined, { name: 'Ada', password: WORDS }).set(
    'x-forwarded-proto',
    'https',
  );
  expect((far.headers as unknown as Record<string, string[]>)['set-cookie'][0]).toContain('Secure');
  const cookie = full.split(';')[0];
  expect(await session(cookie)).toMatchObject({ person: { name: 'Ada', role: 'administrator' } });
  await send('delete', '/api/session', cookie).expect(204);
  expect((await session(cookie)).person).toBeNull();
  await send('get', '/api/pieces', cookie).expect(401);
  expect((await session(`${SESSION_COOKIE}=made-up`)).person).toBeNull();
  // What is stored opens nothing.
  const [{ tokenHash }] = await harness.app.get(DataSource).manager.find(Session);
  expect((await session(`${SESSION_COOKIE}=${tokenHash}`)).person).toBeNull();
});

test('pages of other sites can’t sign anybody in or change anything', async () => {
  const cookie = await signIn('Ada');
  const foreign = { origin: 'https://elsewhere.example' };
  await send('post', '/api/pieces', cookie, { name: 'x' }).set(foreign).expect(403);
  await send('post', '/api/session', undefined, { name: 'Ada', password: WORDS }).set(foreign).expect(403);
});

test('whoever guesses waits, and is told nothing of who there is', async () => {
  await join('Gil', 'reviewer');
  const words: string[] = [];
  for (const name of ['Nobody', 'Gil'])
    for (let k = 0; k < 4; k++) {
      const { status, body } = await send('post', '/api/session', undefined, { name, password: 'wrong' });
      words.push(`${status} ${(body as { detail: string }).detail}`);
    }
  // Even the right one waits.
  await send('post', '/api/session', undefined, { name: 'Gil', password: WORDS }).expect(429);
  expect(words.slice(0, 4)).toEqual(words.slice(4));
  expect(words[0]).toContain('403 Name and password do not go together');
  expect(words[3]).toMatch(/^429 Too many wrong tries. Try again in \d s\.$/);
});

test('an invitation is good once, for one role, and ends', async () => {
  const ada = await signIn('Ada');
  const invited = async () =>
    (await send('post', '/api/invitations', ada, { role: 'technician' })).body as NewInvitation;
  const first = await invited();
  expect((await send('get', `/api/invitations/${first.token}`).expect(200)).body).toEqual({
    role: 'technician',
    name: null,
  });
  const take = (token: string, body: object) => send('post', `/api/invitations/${token}`, undefined, body);
  await take(first.token, { name: 'Tom', password: 'short' }).expect(400);
  await take(first.token, { password: WORDS }).expect(400);
  // A name that is taken does not use it up.
  await take(first.token, { name: 'ADA', password: WORDS }).expect(409);
  await take(first.token, { name: 'Tom', password: WORDS }).expect(200);
  await take(first.token, { name: 'Tim', password: WORDS }).expect(404);
  // Two at once make one account.
  const second = await invited();
  const both = await Promise.all(['Uwe', 'Una'].map((name) => take(second.token, { name, password: WORDS })));
  expect(both.map((r) => r.status).sort()).toEqual([200, 404]);
  const third = await invited();
  await harness.app.get(DataSource).manager.update(Invitation, third.id, { endsAt: new Date(0) });
  await take(third.token, { name: 'Vic', password: WORDS }).expect(404);
  const fourth = await invited();
  await send('delete', `/api/invitations/${fourth.id}`, ada).expect(204);
  await take(fourth.token, { name: 'Wim', password: WORDS }).expect(404);
  expect((await send('get', '/api/invitations', ada)).body).toEqual([]);
});

test('a forgotten password is replaced by a link, a known one by oneself; other places are signed out', async () => {
  const [there, here] = [await join('Nan', 'technician'), await signIn('Nan')];
  await send('put', '/api/session/password', here, { old: 'wrong', password: 'four other short words' }).expect(403);
  await send('put', '/api/session/password', here, { old: WORDS, password: 'four other short words' }).expect(204);
  expect((await session(here)).person?.name).toBe('Nan');
  expect((await session(there)).person).toBeNull();
  const { id } = await person('Nan');
  const { body } = await send('post', '/api/invitations', await signIn('Ada'), { role: 'reviewer', person: id });
  // The role stays what it is, whatever was asked.
  expect(body).toMatchObject({ role: 'technician', person: { name: 'Nan' }, by: 'Ada' });
  await send('post', `/api/invitations/${(body as NewInvitation).token}`, undefined, { password: WORDS }).expect(200);
  expect((await session(here)).person).toBeNull();
  const [one, two] = [await signIn('Nan'), await signIn('Nan')];
  await send('delete', '/api/session/everywhere', one).expect(204);
  expect([(await session(one)).person, (await session(two)).person]).toEqual([null, null]);
});

test('an account that is ended is out at once, and a role counts at once; somebody stays administrator', async () => {
  const eva = await join('Eva', 'technician');
  const ada = await signIn('Ada');
  const { id } = await person('Eva');
  await send('post', '/api/pieces', eva, { name: 'Jug' }).expect(201);
  await send('patch', `/api/people/${id}`, ada, { role: 'reviewer' }).expect(204);
  await send('post', '/api/pieces', eva, { name: 'Jug' }).expect(403);
  await send('patch', `/api/people/${id}`, ada, { ended: true }).expect(204);
  await send('get', '/api/pieces', eva).expect(401);
  await send('post', '/api/session', undefined, { name: 'Eva', password: WORDS }).expect(403);
  const me = await person('Ada');
  for (const change of [{ ended: true }, { role: 'technician' }])
    await send('patch', `/api/people/${me.id}`, ada, change).expect(409);
  await send('patch', `/api/people/${id}`, ada, { ended: false, role: 'administrator' }).expect(204);
  await send('patch', `/api/people/${me.id}`, await signIn('Eva'), { role: 'technician' }).expect(204);
  await send('get', '/api/people', ada).expect(403);
  await send('patch', `/api/people/${me.id}`, await signIn('Eva'), { role: 'administrator' }).expect(204);
});

test('a piece is given to a person and back; the ledger says who asked for what', async () => {
  const [kit, leo] = [await join('Kit', 'technician'), await join('Leo', 'technician')];
  const { id } = (await send('post', '/api/pieces', kit, { name: 'Jug' }).expect(201)).body as PieceView;
  const who = await person('Kit');
  await send('put', `/api/pieces/${id}/owner`, kit, { owner: who.id }).expect(204);
  const { body: piece } = await send('get', `/api/pieces/${id}`, leo).expect(200);
  expect((piece as PieceView).owner).toEqual({ id: who.id, name: 'Kit' });
  const { body } = await send('patch', `/api/pieces/${id}`, leo, { name: 'Mine' }).expect(403);
  expect((body as { detail: string }).detail).toContain('belongs to Kit');
  await send('put', `/api/pieces/${id}/owner`, leo, { owner: (await person('Leo')).id }).expect(403);
  // Reviewers can't work on a piece, so none is given to one.
  await send('put', `/api/pieces/${id}/owner`, kit, { owner: (await person('Gil')).id }).expect(409);
  await send('put', `/api/pieces/${id}/owner`, kit, { owner: null }).expect(204);
  await send('patch', `/api/pieces/${id}`, leo, { name: 'Ours' }).expect(200);
  const asked = await send('post', `/api/pieces/${id}/steps`, leo, { operationId: 'check.inspect' }).expect(202);
  expect((asked.body as StepView).by).toBe('Leo');
});

test('a server that others reach asks who they are, unless something before it does', () => {
  const accounts = (env: Record<string, string>) => readConfig({ DATABASE_URL: 'x', ...env }).accounts;
  expect(accounts({})).toBe(false);
  expect(accounts({ HOST: '127.0.0.1', ACCOUNTS: 'on' })).toBe(true);
  expect(accounts({ HOST: '0.0.0.0' })).toBe(true);
  expect(accounts({ HOST: '0.0.0.0', ACCOUNTS: 'proxy' })).toBe(false);
  expect(() => accounts({ HOST: '0.0.0.0', ACCOUNTS: 'off' })).toThrow('others reach this server');
  expect(() => accounts({ ACCOUNTS: 'yes' })).toThrow('say on, off or proxy');
});

import { DataSource } from 'typeorm';
import type { Role } from '@amber-knit/contracts';
import { Artifact, Capture, Piece, SharedViewRow, Step } from '../database/entities.js';
import { BlobStore } from '../storage/blob-store.js';
import { Harness } from '../../test/harness.js';
import { PeopleService } from './people.service.js';
import { SessionsService } from './sessions.service.js';
import { SESSION_COOKIE } from './who-asks.js';

/** Every route, everybody, everybody's pieces: who is let in, told here a second time and compared with what happens. */
let harness: Harness;
let db: DataSource;

/** What each route needs. A route that is missing here fails the test. */
const ROUTES: Record<string, 'open' | 'use' | 'measure' | 'begin' | 'work' | 'manage'> = {
  'GET /health': 'open',
  'GET /ready': 'open',
  'GET /metrics': 'open',
  'GET /api/session': 'open',
  'POST /api/session': 'open',
  'DELETE /api/session': 'open',
  'GET /api/invitations/{token}': 'open',
  'POST /api/invitations/{token}': 'open',
  'GET /api/shared/{token}': 'open',
  'POST /api/shared/{token}/open': 'open',
  'GET /api/shared/{token}/data/{slot}': 'open',
  'GET /api/shared/{token}/files/{at}': 'open',
  'DELETE /api/session/everywhere': 'use',
  'PUT /api/session/password': 'use',
  'GET /api/people/names': 'use',
  'GET /api/pieces': 'use',
  'GET /api/pieces/{id}': 'use',
  'GET /api/pieces/{id}/versions': 'use',
  'GET /api/pieces/{id}/versions/{state}': 'use',
  'GET /api/pieces/{id}/suggestions': 'use',
  'GET /api/operations': 'use',
  'GET /api/artifacts/{id}/data': 'use',
  'GET /api/recipes': 'use',
  'GET /api/help/{stage}': 'use',
  'GET /api/help/{stage}/picture': 'use',
  'GET /api/pieces/{id}/recipe': 'use',
  'GET /api/pieces/{id}/guided': 'use',
  'GET /api/pieces/{id}/selections': 'use',
  'GET /api/pieces/{id}/selections/{name}': 'use',
  'GET /api/pieces/{id}/archive': 'use',
  'GET /api/pieces/{id}/delivered': 'use',
  'GET /api/events': 'use',
  'GET /api/pieces/{id}/shared-views': 'use',
  'GET /api/pieces/{id}/steps': 'use',
  'GET /api/steps/{id}': 'use',
  'GET /api/pieces/{id}/report': 'use',
  'GET /api/pieces/{id}/report/pdf': 'use',
  'GET /api/pieces/{id}/captures': 'use',
  'GET /api/captures/{id}': 'use',
  'GET /api/captures/{id}/frames': 'use',
  'GET /api/pieces/{id}/room': 'use',
  'GET /api/away': 'use',
  'GET /api/pieces/{id}/remarks': 'use',
  'GET /api/pieces/{id}/here': 'use',
  'PUT /api/pieces/{id}/here': 'use',
  'DELETE /api/pieces/{id}/here': 'use',
  'POST /api/pieces/{id}/remarks': 'measure',
  'PATCH /api/remarks/{id}': 'measure',
  'DELETE /api/remarks/{id}': 'measure',
  'GET /api/docs': 'use',
  'GET /api/docs-json': 'use',
  'GET /api/docs-yaml': 'use',
  'POST /api/pieces': 'begin',
  'GET /api/devices': 'begin',
  'PATCH /api/pieces/{id}': 'work',
  'PUT /api/pieces/{id}/owner': 'work',
  'PATCH /api/pieces/{id}/scans': 'work',
  'POST /api/pieces/{id}/scans/copies': 'work',
  'POST /api/pieces/{id}/undo': 'work',
  'POST /api/pieces/{id}/redo': 'work',
  'POST /api/pieces/{id}/versions/{state}': 'work',
  'PUT /api/pieces/{id}/guided': 'work',
  'PUT /api/pieces/{id}/guided/recipe': 'work',
  'POST /api/pieces/{id}/guided/decisions': 'work',
  'POST /api/pieces/{id}/guided/pause': 'work',
  'POST /api/pieces/{id}/guided/go-on': 'work',
  'PUT /api/pieces/{id}/selections/{name}': 'work',
  'DELETE /api/pieces/{id}/selections/{name}': 'work',
  'POST /api/pieces/{id}/shared-views': 'work',
  'PATCH /api/shared-views/{id}': 'work',
  'POST /api/shared-views/{id}/now': 'work',
  'POST /api/pieces/{id}/steps': 'work',
  'POST /api/pieces/{id}/imports': 'work',
  'POST /api/steps/{id}/again': 'work',
  'POST /api/steps/{id}/cancel': 'work',
  'POST /api/pieces/{id}/captures': 'work',
  'PUT /api/captures/{id}/frames/{sequence}': 'work',
  'POST /api/captures/{id}/take-back': 'work',
  'POST /api/captures/{id}/finish': 'work',
  'DELETE /api/captures/{id}': 'work',
  'POST /api/pieces/{id}/forget-undone': 'work',
  'POST /api/uploads': 'work',
  'GET /api/people': 'manage',
  'PATCH /api/people/{id}': 'manage',
  'GET /api/invitations': 'manage',
  'POST /api/invitations': 'manage',
  'DELETE /api/invitations/{id}': 'manage',
  // What takes things away comes last.
  'DELETE /api/shared-views/{id}': 'work',
  'DELETE /api/pieces/{id}': 'work',
  'POST /api/away/{id}/back': 'work',
  'DELETE /api/away/{id}': 'work',
};

/** Routes that no controller has. */
const OTHERS = ['GET /api/docs', 'GET /api/docs-json', 'GET /api/docs-yaml', 'GET /api/devices', 'POST /api/uploads'];

interface Ids {
  piece: string;
  step: string;
  capture: string;
  artifact: string;
  view: string;
}
const people: Record<string, string> = {};
const pieces: Record<string, Ids> = {};

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('rights', { accounts: true });
  db = harness.app.get(DataSource);
  const roles: Record<string, Role> = { Rose: 'reviewer', Ann: 'technician', Bea: 'technician', Ada: 'administrator' };
  for (const [name, role] of Object.entries(roles))
    people[name] = (await harness.app.get(PeopleService).add(name, role, 'three short words')).id;
  for (const [whose, owner] of Object.entries({ workshop: null, Ann: people.Ann, Bea: people.Bea }))
    pieces[whose] = await pieceOf(owner);
});

afterAll(() => harness.app.close());

/** A piece with one of everything that routes name by an id. */
async function pieceOf(ownerId: string | null): Promise<Ids> {
  const m = db.manager;
  const { id: pieceId } = await m.save(m.create(Piece, { name: 'Jug', ownerId }));
  const { id: step } = await m.save(
    m.create(Step, { pieceId, operationId: 'check.inspect', operationVersion: 1, params: {}, seed: 1, status: 'done' }),
  );
  const { id: capture } = await m.save(
    m.create(Capture, { pieceId, name: 'one', setup: 'up', deviceId: 'd', settings: {} }),
  );
  const blobSha256 = await harness.app.get(BlobStore).put(Buffer.from('words'));
  const { id: artifact } = await m.save(
    m.create(Artifact, { pieceId, kind: 'file', blobSha256, facts: { name: 'a' } }),
  );
  const row = { pieceId, token: pieceId, name: 'view', heads: {}, looks: ['shape'], measuring: false, files: [] };
  const { id: view } = await m.save(m.create(SharedViewRow, { ...row, dimensions: false }));
  return { piece: pieceId, step, capture, artifact, view };
}

/** Asks as somebody, with a session of its own. @returns the status */
async function ask(route: string, name: string | undefined, ids: Ids, body: object = {}): Promise<number> {
  return (await answerTo(route, name, ids, body)).status;
}

async function answerTo(
  route: string,
  name: string | undefined,
  ids: Ids,
  body: object,
): Promise<{ status: number; text: string }> {
  const [method, path] = route.split(' ');
  const id = /^\/api\/steps/.test(path)
    ? ids.step
    : /^\/api\/captures/.test(path)
      ? ids.capture
      : /^\/api\/artifacts/.test(path)
        ? ids.artifact
        : /^\/api\/shared-views/.test(path)
          ? ids.view
          : ids.piece;
  const url = path
    .replace('{id}', id)
    .replace(/\{(sequence|at)\}/, '0')
    .replace('{state}', ids.piece);
  const token = name && (await harness.app.get(SessionsService).open(people[name]));
  const upload = route === 'POST /api/uploads';
  const metadata = `pieceId ${Buffer.from(ids.piece).toString('base64')}`;
  const abort = new AbortController();
  const answer = await fetch(`${harness.base}${url.replace(/\{\w+\}/, 'nobody')}`, {
    method,
    signal: abort.signal,
    headers: {
      ...(token ? { cookie: `${SESSION_COOKIE}=${token}` } : {}),
      ...(upload ? { 'tus-resumable': '1.0.0', 'upload-length': '4', 'upload-metadata': metadata } : {}),
      ...(!upload && method !== 'GET' ? { 'content-type': 'application/json' } : {}),
    },
    ...(!upload && method !== 'GET' ? { body: JSON.stringify(body) } : {}),
  });
  const { status } = answer;
  // What is refused has words; a stream of events, or a file, is not waited for.
  const text = status >= 400 ? await answer.text() : '';
  abort.abort();
  return { status, text };
}

/** The rule, in other words than the program's. */
function lets(need: string, name: string | undefined, whose: string): boolean {
  if (need === 'open') return true;
  if (!name) return false;
  if (name === 'Ada' || need === 'use' || need === 'measure') return true;
  if (name === 'Rose' || need === 'manage') return false;
  return need === 'begin' || whose === name || whose === 'workshop';
}

const ASKERS: [name: string | undefined, whose: string][] = [
  [undefined, 'workshop'],
  ['Rose', 'workshop'],
  ['Rose', 'Ann'],
  ['Ann', 'Bea'],
  ['Ann', 'Ann'],
  ['Ann', 'workshop'],
  ['Ada', 'Bea'],
];

test('the table names every route that there is, and none that there is not', async () => {
  const token = await harness.app.get(SessionsService).open(people.Ada);
  const { body } = await harness.http().get('/api/docs-json').set('cookie', `${SESSION_COOKIE}=${token}`).expect(200);
  const { paths } = body as { paths: Record<string, Record<string, unknown>> };
  const there = Object.entries(paths).flatMap(([path, methods]) =>
    Object.keys(methods).map((m) => `${m.toUpperCase()} ${path}`),
  );
  expect([...there, ...OTHERS].sort()).toEqual(Object.keys(ROUTES).sort());
});

test('every route lets in whoever may, and nobody else', async () => {
  const wrong: string[] = [];
  for (const [route, need] of Object.entries(ROUTES)) {
    // Those that are refused first: what the others do may take away what is asked for.
    const askers = [...ASKERS].sort((a, b) => Number(lets(need, ...a)) - Number(lets(need, ...b)));
    for (const [name, whose] of askers) {
      const ids = pieces[whose];
      const body = route.endsWith('/scans/copies') ? { to: ids.piece } : {};
      const { status, text } = await answerTo(route, name, ids, body);
      const refused = status === 401 || status === 403;
      // Signing in with nothing, and a view without a token, are refused for reasons of their own.
      const right =
        need === 'open'
          ? status < 500 && !text.includes('Sign in first')
          : refused !== lets(need, name, whose) && status < 500;
      const words = lets(need, name, whose) ? true : status === (name ? 403 : 401);
      if (!right || !words) wrong.push(`${route} by ${name ?? 'nobody'} on the piece of ${whose}: ${status}`);
    }
  }
  expect(wrong).toEqual([]);
}, 120_000);

test('what looks at a piece and leaves it as it is may be run by everybody who is signed in', async () => {
  const ids = await pieceOf(people.Bea);
  const asked = (operationId: string, name: string) =>
    ask('POST /api/pieces/{id}/steps', name, ids, { operationId, params: {} });
  for (const name of ['Rose', 'Ann']) {
    expect([name, await asked('check.inspect', name)]).toEqual([name, 202]);
    expect([name, await asked('check.upright', name)]).toEqual([name, 403]);
    expect([name, await asked('fuse.surface', name)]).toEqual([name, 403]);
  }
});

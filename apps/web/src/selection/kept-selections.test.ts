import { BitSet } from '@amber-knit/core/geometry';
import { encodeSelection } from '@amber-knit/core/stored';
import { KeptSelections } from './kept-selections';

const selection = [{ scan: 'a', base: 'stored', points: BitSet.full(9) }];
const asked: [string, string][] = [];
let answer: () => Promise<Response>;
const real = globalThis.fetch;

beforeAll(() => {
  globalThis.fetch = (path, init) => {
    asked.push([init?.method ?? 'GET', String(path)]);
    return answer();
  };
});
beforeEach(() => asked.splice(0));
afterAll(() => {
  globalThis.fetch = real;
});

test('selections are asked for by their piece and name, whatever is in it', async () => {
  const kept = new KeptSelections('p1');
  answer = () => Promise.resolve(Response.json(['rim / lip']));
  expect(await kept.names()).toEqual(['rim / lip']);
  answer = () => Promise.resolve(new Response(encodeSelection(selection) as Uint8Array<ArrayBuffer>));
  expect((await kept.get('rim / lip'))[0].points.count()).toBe(9);
  answer = () => Promise.resolve(new Response(null, { status: 204 }));
  await kept.put('a?b', selection);
  await kept.forget('a?b');
  expect(asked).toEqual([
    ['GET', '/api/pieces/p1/selections'],
    ['GET', '/api/pieces/p1/selections/rim%20%2F%20lip'],
    ['PUT', '/api/pieces/p1/selections/a%3Fb'],
    ['DELETE', '/api/pieces/p1/selections/a%3Fb'],
  ]);
});

test('what the server says against it is said; without an answer, what to do', async () => {
  const kept = new KeptSelections('p1');
  answer = () => Promise.resolve(Response.json({ detail: 'Forget one first.' }, { status: 409 }));
  await expect(kept.put('x', selection)).rejects.toThrow('Forget one first.');
  answer = () => Promise.reject(new Error('refused'));
  await expect(kept.names()).rejects.toThrow(/try again/);
  answer = () => Promise.resolve(new Response('not json', { status: 500 }));
  await expect(kept.names()).rejects.toThrow(/does not answer/);
});

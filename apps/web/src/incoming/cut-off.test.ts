/** @jest-environment jsdom */
import { noteSending, watchCutOff } from './cut-off';

/** Locks of pages: who asks for a held one waits until it is given back. */
class Locks {
  private readonly held = new Map<string, Promise<unknown>>();

  request(name: string, optionsOrRun: unknown, run?: () => unknown): Promise<unknown> {
    const work = (run ?? optionsOrRun) as () => unknown;
    const next = (this.held.get(name) ?? Promise.resolve()).then(work);
    this.held.set(name, next);
    return next;
  }

  /** The page of that name is gone. */
  end(name: string): void {
    this.held.delete(name);
  }
}

const settled = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 5));
const locks = new Locks();

beforeEach(() => {
  localStorage.clear();
  Object.defineProperty(navigator, 'locks', { value: locks, configurable: true });
  Object.defineProperty(crypto, 'randomUUID', { value: () => 'this-page', configurable: true });
});

const cutOff = async (pieceId: string): Promise<string[]> => {
  const names: string[] = [];
  watchCutOff(pieceId, (name) => names.push(name));
  await settled();
  return names;
};

test('files of a page that is gone are told of once, by piece, and those that arrived not at all', async () => {
  for (const [i, name] of ['b.ply', 'a.ply'].entries())
    localStorage.setItem(`amber-sending:gone/${i}`, JSON.stringify({ pieceId: 'jug', name }));
  localStorage.setItem('amber-sending:gone/2', JSON.stringify({ pieceId: 'wheel', name: 'w.ply' }));
  expect(await cutOff('jug')).toEqual(['a.ply', 'b.ply']);
  expect(await cutOff('jug')).toEqual([]);
  expect(await cutOff('wheel')).toEqual(['w.ply']);
});

test('what a page sends that still lives is not cut off; what has come to its end is forgotten', async () => {
  const ended = noteSending('jug', 'own.ply');
  expect(localStorage).toHaveLength(1);
  expect(await cutOff('jug')).toEqual([]);
  ended();
  expect(localStorage).toHaveLength(0);
  void locks.request('amber-sending:other', () => new Promise(() => undefined));
  localStorage.setItem('amber-sending:other/0', JSON.stringify({ pieceId: 'jug', name: 'theirs.ply' }));
  expect(await cutOff('jug')).toEqual([]);
  locks.end('amber-sending:other');
  expect(await cutOff('jug')).toEqual(['theirs.ply']);
});

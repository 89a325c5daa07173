import { jest } from '@jest/globals';
import { encodeBundle } from '@amber-knit/core/bundle';
import { fetchEarly, streamArtifact } from './load-artifact';

const rows = 40_000;
const bytes = encodeBundle('cloud', {}, [
  { name: 'points', rows, columns: [{ name: 'position', data: new Float32Array(3 * rows), size: 3 }] },
]);
const asked: string[] = [];
const signals: (AbortSignal | null | undefined)[] = [];
const real = globalThis.fetch;

beforeEach(() => {
  asked.length = signals.length = 0;
  jest.useFakeTimers();
  globalThis.fetch = ((url: string, init?: RequestInit) => {
    asked.push(url);
    signals.push(init?.signal);
    return Promise.resolve(new Response(bytes as Uint8Array<ArrayBuffer>));
  }) as typeof fetch;
});
afterEach(() => {
  jest.useRealTimers();
  globalThis.fetch = real;
});

async function pagesOf(id: string, stop = new AbortController(), most = Infinity): Promise<number> {
  let pages = 0;
  await streamArtifact(
    id,
    stop.signal,
    () => undefined,
    () => {
      if (++pages >= most) stop.abort();
    },
  );
  return pages;
}

test('what was asked for early is taken over once, and asked for again after that', async () => {
  fetchEarly('a');
  fetchEarly('a');
  expect(asked).toEqual(['/api/artifacts/a/data']);
  expect(await pagesOf('a')).toBe(3);
  expect(asked).toHaveLength(1);
  expect(await pagesOf('a')).toBe(3);
  expect(asked).toHaveLength(2);
});

test('what nobody takes over is let go', async () => {
  fetchEarly('b');
  jest.advanceTimersByTime(20_000);
  expect(signals[0]!.aborted).toBe(true);
  await pagesOf('b');
  expect(asked).toHaveLength(2);
});

test('what was taken over is not let go, but stops when its taker does', async () => {
  fetchEarly('c');
  await pagesOf('c');
  jest.advanceTimersByTime(20_000);
  expect(signals[0]!.aborted).toBe(false);
  fetchEarly('d');
  await expect(pagesOf('d', new AbortController(), 1)).rejects.toThrow(/abort/i);
});

test('an early answer that failed is told to who takes over', async () => {
  globalThis.fetch = (() => Promise.reject(new TypeError('no network'))) as typeof fetch;
  fetchEarly('e');
  await expect(pagesOf('e')).rejects.toThrow('no network');
  globalThis.fetch = (() => Promise.resolve(new Response('', { status: 404 }))) as typeof fetch;
  fetchEarly('f');
  await expect(pagesOf('f')).rejects.toThrow(/404/);
});

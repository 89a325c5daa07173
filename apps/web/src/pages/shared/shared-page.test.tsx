import { render, screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { SharedPage } from '@amber-knit/contracts';
import { SharedDesk } from './shared-desk';
import { SharedPageShell } from './shared-page-shell';
import { offerOf, pieceOf } from './shared-piece';

const page: SharedPage = {
  title: 'Galley jug',
  note: 'Look at the lip.',
  looks: ['sureness', 'section'],
  measuring: false,
  surfaces: ['light', 'mesh'],
  triangles: 1234,
  pictures: 8,
  dimensions: true,
  files: [],
  sharedAt: '',
};
const { fetch } = globalThis;
afterEach(() => {
  globalThis.fetch = fetch;
});

/** Answers by path, in order; what is not listed never answers. */
function answering(answers: Record<string, { status: number; body?: unknown }[]>): string[] {
  const asked: string[] = [];
  globalThis.fetch = (async (path: string, init?: RequestInit) => {
    asked.push(`${init?.method ?? 'GET'} ${path}`);
    const next = answers[path]?.shift();
    if (!next) return new Promise(() => undefined);
    if (next.status === 0) throw new TypeError('no network');
    return new Response(next.body === undefined ? null : JSON.stringify(next.body), { status: next.status });
  }) as never;
  return asked;
}

test('a link that is not there, or no longer, says what to do; so does a lost connection', async () => {
  answering({ '/api/shared/t': [{ status: 404, body: {} }] });
  const { unmount } = render(<SharedPageShell token="t" />);
  expect(await screen.findByText(/Ask whoever sent it for a new one/)).toBeTruthy();
  unmount();
  answering({ '/api/shared/t': [{ status: 0 }] });
  render(<SharedPageShell token="t" />);
  expect((await screen.findByRole('alert')).textContent).toMatch(/reload the page/);
});

test('a password is asked for, a wrong one is said, the right one opens the view with its picture', async () => {
  const asked = answering({
    '/api/shared/t': [
      { status: 401, body: {} },
      { status: 200, body: page },
    ],
    '/api/shared/t/open': [
      { status: 401, body: {} },
      { status: 429, body: { detail: 'Too many wrong passwords. Try again in 4 s.' } },
      { status: 204 },
    ],
  });
  render(<SharedPageShell token="t" />);
  const field = await screen.findByLabelText('This view asks for a password');
  const give = async (text: string): Promise<void> => {
    await userEvent.clear(field);
    await userEvent.type(field, `${text}{Enter}`);
  };
  await give('egret');
  expect((await screen.findByRole('alert')).textContent).toBe('That is not the password.');
  await give('stork');
  await waitFor(() => expect(screen.getByRole('alert').textContent).toMatch(/Try again in 4 s/));
  await give('heron');
  expect(await screen.findByRole('heading', { name: 'Galley jug' })).toBeTruthy();
  expect(screen.getByText('Look at the lip.')).toBeTruthy();
  expect(document.title).toBe('Galley jug');
  expect(asked.filter((a) => a.startsWith('POST'))).toHaveLength(3);
});

test('the view offers what was allowed, of surfaces that lead nowhere else', () => {
  expect(offerOf(page)).toEqual({
    colors: ['invented', 'scans', 'error'],
    wireframe: false,
    section: true,
    measuring: false,
  });
  const piece = pieceOf('t', page);
  expect([piece.light?.id, piece.model, piece.mesh?.id, piece.id]).toEqual([
    'shared/t/light',
    null,
    'shared/t/mesh',
    '',
  ]);
});

test('dimensions that could not be measured, and those that can’t be had, are left out', async () => {
  const desk = new SharedDesk();
  const note = { name: 'Chip', kind: 'note' };
  answering({
    '/api/shared/t/data/dimensions': [
      { status: 404 },
      { status: 0 },
      { status: 200, body: { asked: [note, { name: 'Wall' }], found: [{ label: [0, 0, 1] }, { fault: 'gone' }] } },
    ],
  });
  await desk.load('t');
  await desk.load('t');
  expect(desk.current().rows).toEqual([]);
  await desk.load('t');
  expect(desk.current().rows).toEqual([{ asked: note, found: { label: [0, 0, 1] } }]);
  desk.select(0);
  expect(desk.current().selected).toBe(0);
});

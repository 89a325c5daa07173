import { act, screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { Route, Routes } from 'react-router';
import type { SessionView } from '@amber-knit/contracts';
import { showWithServer } from '../../../test/with-server';
import { api } from '../../api/api';
import { store } from '../../app/store';
import { SessionGate } from './session-gate';

/** What a page hears of the server, without one. */
const heard: { onmessage?: (message: { data: string }) => void; closed: boolean }[] = [];
beforeEach(() => {
  heard.length = 0;
  globalThis.EventSource = class {
    onmessage?: (message: { data: string }) => void;
    closed = false;
    constructor() {
      heard.push(this);
    }
    close() {
      this.closed = true;
    }
  } as unknown as typeof EventSource;
});

const page = (
  <Routes>
    <Route element={<SessionGate />}>
      <Route path="/" element={<input aria-label="Work" />} />
    </Route>
  </Routes>
);
const ann: SessionView = { accounts: true, person: { id: 'a', name: 'Ann', role: 'technician' } };
const nobody: SessionView = { accounts: true, person: null };

test('where nobody is asked the page is there, and listens to the server', async () => {
  showWithServer(page, { 'GET session': { accounts: false, person: null } });
  expect(await screen.findByLabelText('Work')).toBeTruthy();
  await waitFor(() => expect(heard).toHaveLength(1));
});

test('whoever is not signed in is asked, told what was wrong, and let in', async () => {
  let now = nobody;
  const { asked } = showWithServer(page, {
    'GET session': () => now,
    'POST session': ({ password }: { password: string }) => {
      if (password === 'right one') now = ann;
      return now.person ? now : undefined;
    },
  });
  await userEvent.type(await screen.findByLabelText('Name'), 'Ann');
  expect(heard).toHaveLength(0);
  await userEvent.type(screen.getByLabelText('Password'), 'right one{Enter}');
  expect(await screen.findByLabelText('Work')).toBeTruthy();
  expect(asked).toContainEqual({ method: 'POST', path: 'session', body: { name: 'Ann', password: 'right one' } });
  await waitFor(() => expect(heard).toHaveLength(1));
});

test('a session that ends leaves the page as it is, behind the question', async () => {
  let now = ann;
  showWithServer(page, { 'GET session': () => now, 'POST session': () => (now = ann) });
  await userEvent.type(await screen.findByLabelText('Work'), 'half done');
  await waitFor(() => expect(heard).toHaveLength(1));
  now = nobody;
  act(() => heard[0].onmessage!({ data: JSON.stringify({ type: 'signed-out' }) }));
  expect(await screen.findByRole('heading', { name: 'Sign in to go on' })).toBeTruthy();
  await waitFor(() => expect(heard[0].closed).toBe(true));
  expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('Ann');
  await userEvent.type(screen.getByLabelText('Password'), 'right one{Enter}');
  await waitFor(() => expect(screen.queryByRole('heading', { name: 'Sign in to go on' })).toBeNull());
  expect(screen.getByLabelText<HTMLInputElement>('Work').value).toBe('half done');
  await waitFor(() => expect(heard).toHaveLength(2));
});

test('a call that is refused for want of a session asks who it is', async () => {
  let now = ann;
  showWithServer(page, { 'GET session': () => now });
  await screen.findByLabelText('Work');
  now = nobody;
  globalThis.fetch = ((ask) => async (input: RequestInfo | URL) => {
    const { url } = input as Request;
    if (url.endsWith('/session')) return ask(input);
    return new Response('{"status":401,"detail":"Sign in first."}', {
      status: 401,
      headers: { 'content-type': 'application/json' },
    });
  })(globalThis.fetch);
  await act(async () => void (await store.dispatch(api.endpoints.pieces.initiate())));
  expect(await screen.findByRole('heading', { name: 'Sign in to go on' })).toBeTruthy();
});

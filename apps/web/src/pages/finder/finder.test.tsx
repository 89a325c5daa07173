import { act, screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { Route, Routes, useLocation, useNavigate } from 'react-router';
import { operationWith, showWithServer } from '../../../test/with-server';
import { finderOpen } from '../../shared/finder-open';
import { FinderShell } from './finder-shell';

function Address() {
  const { pathname, search } = useLocation();
  const navigate = useNavigate();
  return (
    <button type="button" onClick={() => void navigate('/pieces/p7')}>
      {pathname + search}
    </button>
  );
}
const page = (
  <Routes>
    <Route element={<FinderShell />}>
      <Route path="*" element={<Address />} />
    </Route>
  </Routes>
);
const answers = {
  'GET operations': [
    operationWith({ title: 'Reduce triangles', stage: 'mend', words: 'decimate', help: 'Fewer triangles.' }),
  ],
  'GET pieces': [
    { id: 'p1', name: 'Galley jug', note: 'Stoneware' },
    { id: 'p2', name: 'Oar fork', note: '' },
  ],
};
afterEach(() => act(() => finderOpen.set({ open: false })));

test('within a piece one key and some words lead to the place', async () => {
  showWithServer(page, answers);
  await userEvent.click(screen.getByRole('button', { name: '/' }));
  await userEvent.keyboard('{Control>}k{/Control}');
  const ask = await screen.findByRole('combobox', { name: 'What do you want to do?' });
  expect(screen.getByText(/Say it in your own words/)).toBeTruthy();
  await userEvent.type(ask, 'decimate it');
  const [first] = await screen.findAllByRole('option');
  expect(first.textContent).toContain('Reduce trianglesMendFewer triangles.');
  await userEvent.keyboard('{Enter}');
  expect(await screen.findByRole('button', { name: '/pieces/p7/bench/mend?at=Reduce%20triangles' })).toBeTruthy();
  await waitFor(() => expect(screen.queryByRole('combobox')).toBeNull());
});

test('on the shelf the piece is asked for, and pieces are found by their names', async () => {
  showWithServer(page, answers);
  await userEvent.keyboard('{Control>}k{/Control}');
  await userEvent.type(await screen.findByRole('combobox'), 'how thick are the walls');
  await screen.findAllByRole('option');
  await userEvent.keyboard('{Enter}');
  const which = await screen.findByRole('combobox', { name: 'Name of the piece' });
  await userEvent.type(which, 'fork');
  expect(screen.getAllByRole('option')).toHaveLength(1);
  await userEvent.keyboard('{Enter}');
  expect(await screen.findByRole('button', { name: '/pieces/p2/bench/check?at=Walls' })).toBeTruthy();
});

test('what goes by no word says so; Escape closes', async () => {
  showWithServer(page, answers);
  await userEvent.keyboard('{Control>}k{/Control}');
  await userEvent.type(await screen.findByRole('combobox'), 'xylophone');
  expect(screen.getByText(/Nothing goes by these words/)).toBeTruthy();
  await userEvent.keyboard('{Escape}');
  await waitFor(() => expect(screen.queryByRole('combobox')).toBeNull());
});

test('what is done by a key wherever one is leads nowhere else', async () => {
  showWithServer(page, answers);
  await userEvent.click(screen.getByRole('button', { name: '/' }));
  await userEvent.keyboard('{Control>}k{/Control}');
  await userEvent.type(await screen.findByRole('combobox'), 'undo');
  expect((await screen.findAllByRole('option'))[0].textContent).toContain('Ctrl Z');
  await userEvent.keyboard('{Enter}');
  await waitFor(() => expect(screen.queryByRole('combobox')).toBeNull());
  expect(screen.getByRole('button', { name: '/pieces/p7' })).toBeTruthy();
});

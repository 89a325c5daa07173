import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { PieceRoom, VersionView } from '@amber-knit/contracts';
import { showWithServer } from '../../../test/with-server';
import { VersionMenu } from './version-menu';

const version = (id: string, place: VersionView['place'], title: string): VersionView => ({
  id,
  place,
  title,
  detail: '',
  stepId: null,
  at: '2026-03-01T10:00:00Z',
});
const LIST = [version('a', 'before', 'Import scans'), version('b', 'current', 'Fuse'), version('c', 'after', 'Mend')];
const room = (undone: number): PieceRoom => ({ bytes: 9e7, freed: 9e7, undone });

test('what was undone is forgotten only after saying what goes and what that gives back', async () => {
  const user = userEvent.setup();
  const { asked } = showWithServer(<VersionMenu pieceId="p" settled />, {
    'GET pieces/p/versions': LIST,
    'GET pieces/p/room': room(12_000_000),
    'POST pieces/p/forget-undone': room(0),
  });
  // Nobody is asked for room before somebody looks.
  await waitFor(() => expect(asked.map((a) => a.path)).toEqual(['pieces/p/versions']));
  await user.click(screen.getByRole('button', { name: 'Versions' }));
  await user.click(await screen.findByRole('menuitem', { name: /^Forget what was undone … gives back 12.0 MB/ }));
  expect(screen.getByRole('dialog').textContent).toMatch(/cannot be undone.*every scan that came in, stays.*12.0 MB/);
  expect(asked.some((a) => a.method === 'POST')).toBe(false);
  await user.click(screen.getByRole('button', { name: 'Forget it' }));
  await waitFor(() => expect(asked.some((a) => a.path === 'pieces/p/forget-undone')).toBe(true));
});

test('with nothing undone there is nothing to forget', async () => {
  const user = userEvent.setup();
  const { asked } = showWithServer(<VersionMenu pieceId="p" settled />, {
    'GET pieces/p/versions': LIST.slice(0, 2),
    'GET pieces/p/room': room(0),
  });
  await user.click(await screen.findByRole('button', { name: 'Versions' }));
  await waitFor(() => expect(asked.some((a) => a.path === 'pieces/p/room')).toBe(true));
  expect(screen.queryByText(/Forget what was undone/)).toBeNull();
});

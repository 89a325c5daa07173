import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { AwayPiece } from '@amber-knit/contracts';
import { pieceWith, showWithServer } from '../../../test/with-server';
import { PieceMenu } from './piece-menu';
import { PutAway } from './put-away';

const away: AwayPiece = {
  id: 'p',
  name: 'Old mug',
  note: 'Cracked',
  awayAt: '2026-03-01T10:00:00Z',
  bytes: 90_000_000,
  freed: 60_000_000,
  undone: 0,
};

test('a piece is put away from its menu, not while a step runs on it', async () => {
  const user = userEvent.setup();
  const { asked } = showWithServer(
    <>
      <PieceMenu piece={pieceWith({})} />
      <PieceMenu piece={pieceWith({ id: 'q', name: 'Busy', running: 'Fusing' })} />
    </>,
    { 'DELETE pieces/p': {} },
  );
  await user.click(screen.getByRole('button', { name: 'More for Busy' }));
  expect(screen.getByRole('menuitem').getAttribute('aria-disabled')).toBe('true');
  await user.keyboard('{Escape}');
  await user.click(screen.getByRole('button', { name: 'More for Galley jug' }));
  await user.click(screen.getByRole('menuitem', { name: /^Put away/ }));
  await waitFor(() =>
    expect(asked.filter((a) => a.method !== 'GET')).toEqual([{ method: 'DELETE', path: 'pieces/p', body: undefined }]),
  );
});

test('what was put away is put back, or removed after saying what that gives back', async () => {
  const user = userEvent.setup();
  const { asked, container } = showWithServer(<PutAway />, {
    'GET away': [away],
    'POST away/p/back': {},
    'DELETE away/p': { bytes: 1, freed: 1, undone: 0 },
  });
  expect(await screen.findByText(/Put away: 1 piece/)).toBeTruthy();
  expect(container.textContent).toContain('60.0 MB could be given back');
  await user.click(screen.getByRole('button', { name: 'Put back' }));
  await waitFor(() => expect(asked.some((a) => a.path === 'away/p/back')).toBe(true));
  await user.click(screen.getByRole('button', { name: 'Remove …' }));
  expect(screen.getByRole('dialog').textContent).toMatch(/cannot be undone.*60.0 MB.*used by other pieces/);
  await user.click(screen.getByRole('button', { name: 'Keep it' }));
  expect(asked.some((a) => a.method === 'DELETE')).toBe(false);
  await user.click(screen.getByRole('button', { name: 'Remove …' }));
  await user.click(screen.getByRole('button', { name: 'Remove for good' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'DELETE' && a.path === 'away/p')).toBe(true));
});

test('with nothing put away there is nothing to see', async () => {
  const { container, asked } = showWithServer(<PutAway />, { 'GET away': [] });
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(container.textContent).toBe('');
});

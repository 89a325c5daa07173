import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { pieceWith, showWithServer } from '../../../test/with-server';
import { PieceMenu } from './piece-menu';

const tom = { accounts: true, person: { id: 't', name: 'Tom', role: 'technician' } };
const open = async () => userEvent.click(await screen.findByRole('button', { name: 'More for Galley jug' }));

test('a piece of the workshop is given to somebody', async () => {
  const { asked } = showWithServer(<PieceMenu piece={pieceWith({})} />, {
    'GET session': tom,
    'GET people/names': [
      { id: 't', name: 'Tom' },
      { id: 'b', name: 'Bea' },
    ],
    'PUT pieces/p/owner': {},
  });
  await open();
  await userEvent.click(await screen.findByRole('menuitem', { name: /Whose it is.*The workshop’s/ }));
  await screen.findByRole('option', { name: 'Bea' });
  await userEvent.selectOptions(screen.getByLabelText('It belongs to'), 'Bea');
  await userEvent.click(screen.getByRole('button', { name: 'Give it' }));
  await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ owner: 'b' });
});

test('of somebody else’s piece the menu says why nothing of it works', async () => {
  showWithServer(<PieceMenu piece={pieceWith({ owner: { id: 'b', name: 'Bea' } })} />, { 'GET session': tom });
  await waitFor(async () => {
    await open();
    expect(screen.getByRole('menuitem', { name: /Put away.*belongs to Bea/ }).dataset.disabled).toBe('');
  });
  expect(screen.getByRole('menuitem', { name: /Whose it is/ }).dataset.disabled).toBe('');
});

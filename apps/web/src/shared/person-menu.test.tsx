import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { pieceWith, showWithServer } from '../../test/with-server';
import { OnlyLooking } from './only-looking';
import { PersonMenu } from './person-menu';

const as = (role: string) => ({ accounts: true, person: { id: 't', name: 'Tom', role } });

test('where nobody is asked there is no menu', async () => {
  const { asked, container } = showWithServer(<PersonMenu />, { 'GET session': { accounts: false, person: null } });
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(container.textContent).toBe('');
});

test('a password is changed; a wrong old one is told', async () => {
  let right = false;
  const { asked } = showWithServer(<PersonMenu />, {
    'GET session': as('technician'),
    'PUT session/password': () => (right ? {} : undefined),
  });
  await userEvent.click(await screen.findByRole('button', { name: 'Signed in as Tom' }));
  // Only administrators say who may come in.
  expect(screen.queryByRole('menuitem', { name: 'People' })).toBeNull();
  await userEvent.click(screen.getByRole('menuitem', { name: 'Change the password' }));
  await userEvent.type(await screen.findByLabelText('Old password'), 'old words');
  await userEvent.type(screen.getByLabelText(/New password/), 'three short words{Enter}');
  expect(await screen.findByRole('alert')).toBeTruthy();
  right = true;
  await userEvent.click(screen.getByRole('button', { name: 'Change it' }));
  expect(await screen.findByText(/It is changed/)).toBeTruthy();
  expect(asked.at(-1)?.body).toEqual({ old: 'old words', password: 'three short words' });
});

test('above a piece that one may not change stands why', async () => {
  const bea = { id: 'b', name: 'Bea' };
  const { showAnew } = showWithServer(<OnlyLooking piece={pieceWith({ owner: bea })} />, {
    'GET session': as('technician'),
  });
  expect(await screen.findByText(/belongs to Bea\. Only Bea or an administrator may change it/)).toBeTruthy();
  showAnew(<OnlyLooking piece={pieceWith({ owner: { id: 't', name: 'Tom' } })} />);
  expect(screen.queryByRole('status')).toBeNull();
  showAnew(<OnlyLooking piece={pieceWith({})} />);
  expect(screen.queryByRole('status')).toBeNull();
});

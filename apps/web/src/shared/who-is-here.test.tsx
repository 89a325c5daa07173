import { screen, waitFor } from '@testing-library/react';
import { showWithServer } from '../../test/with-server';
import { WhoIsHere } from './who-is-here';

test('a page says at which stage it is, shows the others, and says when it goes', async () => {
  const here = [
    { id: 'b', name: 'Bea', stage: 'mend' },
    { id: 't', name: 'Tom', stage: 'check' },
    { id: 'u', name: 'Uwe', stage: null },
  ];
  const { asked, showAnew } = showWithServer(<WhoIsHere pieceId="p" stage="check" />, {
    'GET session': { accounts: true, person: { id: 't', name: 'Tom', role: 'technician' } },
    'GET pieces/p/here': [],
    'PUT pieces/p/here': here,
    'DELETE pieces/p/here': {},
  });
  expect((await screen.findByRole('status')).textContent).toBe('Bea at Mend, Uwe');
  showAnew(<WhoIsHere pieceId="p" stage="deliver" />);
  await waitFor(() =>
    expect(asked.filter((a) => a.method === 'PUT').map((a) => a.body)).toEqual([
      { stage: 'check' },
      { stage: 'deliver' },
    ]),
  );
  showAnew(<p>elsewhere</p>);
  await waitFor(() => expect(asked.at(-1)?.method).toBe('DELETE'));
});

test('alone nobody says anything', async () => {
  const { asked } = showWithServer(<WhoIsHere pieceId="p" stage={null} />, {
    'GET session': { accounts: false, person: null },
  });
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(asked[0].path).toBe('session');
});

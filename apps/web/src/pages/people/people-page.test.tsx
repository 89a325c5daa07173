import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { PersonView, SessionView } from '@amber-knit/contracts';
import { showWithServer } from '../../../test/with-server';
import { PeoplePage } from './people-page';

const ada: SessionView = { accounts: true, person: { id: 'a', name: 'Ada', role: 'administrator' } };
const person = (change: Partial<PersonView>): PersonView => ({
  id: 't',
  name: 'Tom',
  role: 'technician',
  since: '2026-03-01T10:00:00Z',
  lastSeenAt: null,
  ended: false,
  sessions: 0,
  pieces: 0,
  ...change,
});
const invitation = { id: 'i', role: 'reviewer', person: null, by: 'Ada', endsAt: '2026-03-08T10:00:00Z' };

test('an administrator gives roles, ends accounts and opens them again', async () => {
  const people = [
    person({ pieces: 2, sessions: 1, lastSeenAt: '2026-03-01T11:00:00Z' }),
    person({ id: 'u', name: 'Uwe', ended: true }),
  ];
  const { asked } = showWithServer(<PeoplePage />, {
    'GET session': ada,
    'GET people': people,
    'GET invitations': [],
    'PATCH people/t': {},
    'PATCH people/u': {},
  });
  const tom = within((await screen.findByRole('rowheader', { name: 'Tom' })).closest('tr')!);
  expect(tom.getByText(/in one place, seen/)).toBeTruthy();
  await userEvent.selectOptions(tom.getByLabelText('Role of Tom'), 'reviewer');
  await userEvent.click(tom.getByRole('button', { name: 'End …' }));
  expect(await screen.findByText(/pieces of their own can be given to others/)).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'End it' }));
  await userEvent.click(await screen.findByRole('button', { name: 'Open again' }));
  await waitFor(() =>
    expect(asked.filter((a) => a.method === 'PATCH').map(({ path, body }) => [path, body])).toEqual([
      ['people/t', { role: 'reviewer' }],
      ['people/t', { ended: true }],
      ['people/u', { ended: false }],
    ]),
  );
});

test('a link is made for a role, shown once, and can be taken back', async () => {
  let made = false;
  const { asked } = showWithServer(<PeoplePage />, {
    'GET session': ada,
    'GET people': [person({})],
    'GET invitations': () => (made ? [invitation] : []),
    'POST invitations': () => {
      made = true;
      return { ...invitation, token: 'abc-123' };
    },
    'DELETE invitations/i': {},
  });
  await userEvent.selectOptions(await screen.findByLabelText('They come in as'), 'reviewer');
  await userEvent.click(screen.getByRole('button', { name: 'Make a link' }));
  const link = await screen.findByLabelText<HTMLInputElement>(/Link to hand over/);
  expect(link.value).toMatch(/\/invitation\/abc-123$/);
  made = false;
  await userEvent.click(screen.getByRole('button', { name: 'Take the link back' }));
  await waitFor(() => expect(screen.queryByLabelText(/Link to hand over/)).toBeNull());
  expect(asked.filter((a) => a.method === 'POST')).toEqual([
    { method: 'POST', path: 'invitations', body: { role: 'reviewer' } },
  ]);
});

test('whoever is no administrator is told so', async () => {
  showWithServer(<PeoplePage />, {
    'GET session': { accounts: true, person: { id: 't', name: 'Tom', role: 'technician' } },
  });
  expect(await screen.findByText('Only an administrator may do that.')).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'Make a link' })).toBeNull();
});

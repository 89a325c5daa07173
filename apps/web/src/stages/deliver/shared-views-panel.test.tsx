import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { SharedView } from '@amber-knit/contracts';
import { pieceWith, showWithServer, stepWith } from '../../../test/with-server';
import { deliveredFiles } from './delivered-files';
import { dayOf, endOfDay } from './shared-view-form';
import { SharedViewsPanel, stateOf } from './shared-views-panel';

const piece = pieceWith({ mesh: { id: 'm', facts: {} } as never });
const view: SharedView = {
  id: 'v1',
  address: '/s/abc',
  name: 'For the owner',
  note: '',
  looks: ['shape'],
  measuring: true,
  dimensions: true,
  files: [],
  endsAt: null,
  hasPassword: true,
  createdAt: new Date().toISOString(),
  ended: false,
  opened: 0,
  lastOpenedAt: null,
  current: true,
};
const files = [
  stepWith({ id: 'd1', stage: 'deliver', outputs: ['a1'], figures: { file: 'jug.glb' } }),
  stepWith({ id: 'd2', stage: 'deliver', outputs: ['a2'], figures: { file: 'jug.glb' } }),
  stepWith({ id: 'd3', stage: 'deliver', status: 'failed', outputs: [], figures: null }),
];

test('a link is made with what was ticked; a piece without a surface says what is missing', async () => {
  const { asked, showAnew } = showWithServer(<SharedViewsPanel piece={piece} steps={files} busy={false} />, {
    'GET pieces/p/shared-views': [],
    'POST pieces/p/shared-views': view,
  });
  await userEvent.click(await screen.findByRole('button', { name: 'New link …' }));
  const make = screen.getByRole<HTMLButtonElement>('button', { name: 'Make the link' });
  expect(make.disabled).toBe(true);
  await userEvent.type(screen.getByRole('textbox', { name: 'For whom' }), ' Owner ');
  await userEvent.click(screen.getByRole('checkbox', { name: 'Sections' }));
  await userEvent.click(screen.getByRole('checkbox', { name: 'jug.glb' }));
  await userEvent.click(screen.getByRole('checkbox', { name: 'Asks for a password' }));
  expect(make.disabled).toBe(true);
  await userEvent.type(screen.getByLabelText('Password'), 'heron');
  await userEvent.click(make);
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    name: 'Owner',
    note: '',
    looks: ['shape', 'section'],
    measuring: true,
    dimensions: true,
    // The newest file of that name.
    files: ['a2'],
    endsAt: null,
    password: 'heron',
  });
  showAnew(<SharedViewsPanel piece={pieceWith({})} steps={[]} busy={false} />);
  expect(await screen.findByText(/no surface to show yet/)).toBeTruthy();
});

test('a link is changed without its password being asked again, brought up to date, and ended once that is confirmed', async () => {
  const { asked } = showWithServer(<SharedViewsPanel piece={piece} steps={[]} busy={false} />, {
    'GET pieces/p/shared-views': [{ ...view, current: false }],
    'PATCH shared-views/v1': view,
    'POST shared-views/v1/now': view,
    'DELETE shared-views/v1': {},
  });
  const row = await screen.findByRole('listitem', { name: 'For the owner' });
  expect(within(row).getByRole<HTMLAnchorElement>('link', { name: 'Open' }).pathname).toBe('/s/abc');
  await userEvent.click(within(row).getByRole('button', { name: 'Show what stands now' }));
  await userEvent.click(within(row).getByRole('button', { name: 'Change For the owner' }));
  await userEvent.click(screen.getByRole('checkbox', { name: 'They can measure distances' }));
  await userEvent.click(screen.getByRole('button', { name: 'Change the link' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'PATCH')).toBe(true));
  const body = asked.find((a) => a.method === 'PATCH')!.body as object;
  expect(body).toMatchObject({ measuring: false });
  expect(body).not.toHaveProperty('password');
  await userEvent.click(await screen.findByRole('button', { name: 'End For the owner' }));
  expect(asked.some((a) => a.method === 'DELETE')).toBe(false);
  await userEvent.click(screen.getByRole('button', { name: 'End the link' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'DELETE')).toBe(true));
});

test('what the server refuses is said, and what was typed stays', async () => {
  showWithServer(<SharedViewsPanel piece={piece} steps={[]} busy={false} />, { 'GET pieces/p/shared-views': [] });
  await userEvent.click(await screen.findByRole('button', { name: 'New link …' }));
  await userEvent.type(screen.getByRole('textbox', { name: 'For whom' }), 'Owner');
  await userEvent.click(screen.getByRole('button', { name: 'Make the link' }));
  expect((await screen.findByRole('alert')).textContent).toMatch(/no such thing/);
  expect(screen.getByRole<HTMLInputElement>('textbox', { name: 'For whom' }).value).toBe('Owner');
});

test('a day is its last moment where the person is, and comes back as the same day', () => {
  for (const day of ['2026-12-24', '2027-02-28', '2026-03-29']) expect(dayOf(endOfDay(day))).toBe(day);
  expect([endOfDay(''), dayOf(null)]).toEqual([null, '']);
});

test('files are those of finished steps; how a link stands is said in words', () => {
  expect(deliveredFiles(files)).toEqual([{ id: 'a2', name: 'jug.glb' }]);
  expect(stateOf(view)).toBe('Open until you end it. Not opened yet.');
  const seen = {
    ...view,
    ended: true,
    opened: 3,
    lastOpenedAt: new Date(Date.now() - 3.6e6).toISOString(),
    current: false,
  };
  expect(stateOf(seen)).toBe('Has ended. Opened 3 times, last about 1 hour ago. Shows an earlier state.');
});

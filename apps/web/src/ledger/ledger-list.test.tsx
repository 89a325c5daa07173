import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { showWithServer, stepWith } from '../../test/with-server';
import { LedgerList } from './ledger-list';

test('steps stand newest first, numbered as they ran; each opens for parameters, figures and notes', async () => {
  const steps = [
    stepWith({ id: 'a', title: 'Bring in', summary: 'jug: 4,000 points' }),
    stepWith({
      id: 'b',
      status: 'failed',
      summary: null,
      error: 'Nothing was left.',
      paramList: [{ name: 'voxel', label: 'Resolution', text: '1.05 mm' }],
      figureList: [
        {
          name: 'p',
          label: 'Pieces',
          rank: 'detail',
          text: '3',
          help: 'Parts.',
          verdict: { tone: 'bad', word: 'needs work' },
        },
      ],
      notes: ['A scan was in doubt.'],
    }),
  ];
  showWithServer(<LedgerList pieceId="p" />, { 'GET pieces/p/steps': steps });
  const rows = await screen.findAllByRole('row');
  expect(rows.slice(1).map((r) => r.textContent)).toEqual([
    expect.stringMatching(/^2.*Fuse into one surface.*Nothing was left\..*✕ failed.*3\.0 s/),
    expect.stringMatching(/^1.*Bring in.*jug: 4,000 points.*✓ done/),
  ]);
  const open = screen.getByRole('button', { name: 'Fuse into one surface' });
  expect(open.getAttribute('aria-expanded')).toBe('false');
  await userEvent.click(open);
  expect(screen.getByText('Resolution')).toBeTruthy();
  expect(screen.getByText('1.05 mm')).toBeTruthy();
  expect(screen.getByRole('img', { name: 'needs work' })).toBeTruthy();
  expect(screen.getByText('A scan was in doubt.')).toBeTruthy();
  expect(screen.getByText(/fuse\.surface, version 1, seed 1, run 1/)).toBeTruthy();
});

test('an empty ledger says what will stand in it', async () => {
  showWithServer(<LedgerList pieceId="p" />, { 'GET pieces/p/steps': [] });
  expect(await screen.findByText(/No steps yet/)).toBeTruthy();
});

import type { PieceView } from '@amber-knit/contracts';
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { operationWith, pieceWith, showWithServer, stepWith } from '../../../test/with-server';
import { ImportDrop } from '../../incoming/import-drop';
import type { StageModule } from '../../stages/stage-module';
import { StagePanel } from './stage-panel';

const OPERATIONS = [
  operationWith({}),
  operationWith({ id: 'fuse.other', title: 'Fuse otherwise' }),
  operationWith({ id: 'fuse.by-hand', title: 'Never a form', byHand: true }),
  operationWith({ id: 'mend.all', title: 'Mend', stage: 'mend' }),
];
const answers = (steps: unknown[]) => ({
  'GET operations': OPERATIONS,
  'GET pieces/p/steps': steps,
  'GET pieces/p/suggestions?operation=fuse.surface': { values: {}, reasons: {}, demands: [] },
});
const stage: StageModule = {
  id: 'fuse',
  first: [({ busy }) => <p>decide first{busy && ', later'}</p>],
  panels: [({ steps }) => <p>own panel, {steps.length} steps</p>],
  Result: ({ step }) => <p>take along {step.id}</p>,
};
const panel = (piece: PieceView) => (
  <ImportDrop piece={piece}>
    <StagePanel piece={piece} stage={stage} />
  </ImportDrop>
);
const ready = pieceWith({ scans: 2, placements: { id: 'x' } as never });

test('a stage shows its guide, its panels around the newest result, and forms of its own operations', async () => {
  const newest = stepWith({
    id: 's2',
    figureList: [{ name: 'a', label: 'Triangles', rank: 'headline', text: '1,000', help: 'x.' }],
    notes: ['2 scans are in doubt.'],
  });
  showWithServer(panel(ready), answers([stepWith({ summary: 'older' }), newest]));
  expect(await screen.findByText('own panel, 2 steps')).toBeTruthy();
  const all = document.body.textContent!;
  const order = [
    'Merge the registered scans into one surface',
    'decide first',
    '1,000 triangles',
    'Triangles',
    'in doubt',
    'take along s2',
    'own panel',
  ];
  expect(order.map((t) => all.indexOf(t))).toEqual(order.map((t) => all.indexOf(t)).sort((a, b) => a - b));
  expect(order.every((t) => all.includes(t))).toBe(true);
  expect(all).not.toContain('older');
  expect(await screen.findByRole('button', { name: 'Fuse otherwise' })).toBeTruthy();
  expect(all).not.toMatch(/Never a form|Mend/);
});

test('a step that runs is shown with its way to stop; panels know that the piece is busy', async () => {
  const running = stepWith({ id: 's3', status: 'running', progress: 0.4, progressStage: 'Voxels' });
  const { asked } = showWithServer(panel(ready), answers([running]));
  expect(await screen.findByText('decide first, later')).toBeTruthy();
  expect(screen.getByText('Voxels')).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Cancel' }));
  await screen.findByText('own panel, 1 steps');
  expect(asked.some((a) => a.method === 'POST' && a.path === 'steps/s3/cancel')).toBe(true);
});

test('what is missing is said in place of forms; what failed or was cancelled is said in words', async () => {
  const failed = stepWith({ status: 'failed', error: 'No scan has a place yet.' });
  showWithServer(panel(pieceWith({ scans: 2 })), answers([failed]));
  expect(await screen.findByText('Register the scans first.')).toBeTruthy();
  expect(await screen.findByText(/No scan has a place yet/)).toBeTruthy();
});

test('what was cancelled changed nothing, and says so', async () => {
  showWithServer(panel(ready), answers([stepWith({ status: 'cancelled' })]));
  expect(await screen.findByText(/was cancelled. Nothing was changed/)).toBeTruthy();
});

test('whoever may not change the piece sees all and runs nothing, but measures', async () => {
  const mine = { ...ready, owner: { id: 'b', name: 'Bea' } };
  const session = { accounts: true, person: { id: 't', name: 'Tom', role: 'technician' } };
  const { showAnew } = showWithServer(panel(mine), { ...answers([]), 'GET session': session });
  const run = await screen.findByRole('button', { name: 'Fuse otherwise' });
  await waitFor(() => expect(run.matches(':disabled')).toBe(true));
  const measuring: StageModule = { id: 'check', panels: [() => <button type="button">Measure</button>] };
  showAnew(
    <ImportDrop piece={mine}>
      <StagePanel piece={mine} stage={measuring} />
    </ImportDrop>,
  );
  expect((await screen.findByRole('button', { name: 'Measure' })).matches(':disabled')).toBe(false);
});

import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { ParamField } from '@amber-knit/contracts';
import { operationWith, pieceWith, showWithServer, stepWith } from '../../../test/with-server';
import type { StagePreview } from '../../stages/stage-module';
import { OperationForm } from './operation-form';

const FIELDS: ParamField[] = [
  {
    name: 'voxel',
    kind: 'length',
    title: 'Resolution',
    help: 'Edge of a voxel.',
    unit: 'mm',
    min: 0.02,
    max: 50,
    default: 0.6,
  },
  {
    name: 'rim',
    kind: 'length',
    title: 'Longest rim',
    help: 'Longer ones stay open.',
    unit: 'mm',
    min: 0,
    max: 900,
    whenEmpty: 'all',
    default: 0,
  },
  {
    name: 'shape',
    kind: 'choice',
    title: 'Shape',
    help: 'How it is filled.',
    choices: [
      { value: 'flat', title: 'Flat' },
      { value: 'smooth', title: 'Smooth' },
    ],
    default: 'smooth',
  },
  {
    name: 'band',
    kind: 'ratio',
    title: 'Depth of the band',
    help: 'How far.',
    unit: 'voxels',
    min: 1,
    max: 8,
    more: true,
    default: 3,
  },
  { name: 'only', kind: 'scans', title: 'Scans', help: 'Which ones.', whenEmpty: 'all scans', default: [] },
];
const operation = operationWith({ fields: FIELDS });
const ANSWERS = {
  'GET pieces/p': pieceWith({}),
  'GET pieces/p/suggestions?operation=fuse.surface': {
    values: { voxel: 1.05 },
    reasons: { voxel: 'The points lie 0.807 mm apart.' },
  },
  'POST pieces/p/steps': stepWith({ status: 'queued' }),
};
const form = (busy = false, preview?: StagePreview) => (
  <OperationForm piece={pieceWith({})} operation={operation} main busy={busy} preview={preview} />
);

test('what it would give is looked at with the values of the form, and nothing is run', async () => {
  const looks: Record<string, unknown>[] = [];
  const preview = {
    label: 'Preview',
    help: 'Looks',
    look: (_p: unknown, values: Record<string, unknown>) => void looks.push(values),
  };
  const { asked } = showWithServer(form(false, preview), ANSWERS);
  const voxel = await screen.findByRole('spinbutton', { name: 'Resolution' });
  await userEvent.clear(voxel);
  await userEvent.type(voxel, '2');
  await userEvent.click(screen.getByRole('button', { name: 'Preview' }));
  await waitFor(() => expect(looks).toEqual([expect.objectContaining({ voxel: 2 })]));
  expect(asked.some((a) => a.method === 'POST')).toBe(false);
});

test('what is suggested fills the form and says why; what is seldom changed is folded away and kept', async () => {
  const { asked } = showWithServer(form(), ANSWERS);
  const voxel = await screen.findByRole('spinbutton', { name: 'Resolution' });
  expect((voxel as HTMLInputElement).value).toBe('1.05');
  expect(screen.getByText('Suggested: The points lie 0.807 mm apart.')).toBeTruthy();
  expect(screen.queryByRole('spinbutton', { name: 'Depth of the band' })).toBeNull();
  await userEvent.click(screen.getByRole('button', { name: 'More settings' }));
  const band = screen.getByRole('spinbutton', { name: 'Depth of the band' });
  await userEvent.clear(band);
  await userEvent.type(band, '2');
  await userEvent.click(screen.getByRole('button', { name: 'More settings' }));
  await userEvent.selectOptions(screen.getByRole('combobox', { name: 'Shape' }), 'Flat');
  await userEvent.click(screen.getAllByRole('button', { name: 'Fuse into one surface' })[1]);
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')).toEqual({
    method: 'POST',
    path: 'pieces/p/steps',
    body: { operationId: 'fuse.surface', params: { voxel: 1.05, rim: 0, shape: 'flat', band: 2, only: [] } },
  });
});

test('help stands behind a question mark, with the range; the field is described by it', async () => {
  showWithServer(form(), ANSWERS);
  const voxel = await screen.findByRole('spinbutton', { name: 'Resolution' });
  const described = document.getElementById(voxel.getAttribute('aria-describedby')!)!;
  expect(described.textContent).toBe('Edge of a voxel. From 0.02 to 50 mm.');
  await userEvent.click(screen.getByRole('button', { name: 'Help: Longest rim' }));
  expect(await screen.findAllByText('Longer ones stay open. From 0 to 900 mm.')).toHaveLength(2);
});

test('while a step runs nothing is started; what the server refuses is said', async () => {
  const { asked } = showWithServer(form(true), ANSWERS);
  await screen.findByRole('spinbutton', { name: 'Resolution' });
  const run = screen.getAllByRole<HTMLButtonElement>('button', { name: 'Fuse into one surface' })[1];
  expect(run.disabled).toBe(true);
  expect(asked.some((a) => a.method === 'POST')).toBe(false);
});

test('a refusal of the server stands beside the form', async () => {
  const { 'POST pieces/p/steps': _none, ...rest } = ANSWERS;
  showWithServer(form(), rest);
  await screen.findByRole('spinbutton', { name: 'Resolution' });
  await userEvent.click(screen.getAllByRole('button', { name: 'Fuse into one surface' })[1]);
  expect(await screen.findByText(/There is no such thing/)).toBeTruthy();
});

test('what was measured is chosen by its name; without anything there is nothing to choose', async () => {
  const up = operationWith({
    fields: [
      { name: 'measured', kind: 'dimension', title: 'Measured', help: 'Which one.', whenEmpty: 'none', default: '' },
    ],
  });
  const measured = pieceWith({ dimensions: { id: 'd', kind: 'dimensions', bytes: 1, facts: {}, stepId: null } });
  const { asked, showAnew } = showWithServer(
    <OperationForm piece={pieceWith({})} operation={up} main={true} busy={false} />,
    {
      ...ANSWERS,
      'GET artifacts/d/data': { asked: [{ name: 'Rim' }, { name: 'Foot ring' }], found: [] },
      'POST pieces/p/steps': stepWith({}),
    },
  );
  const choices = () => screen.getAllByRole('option').map((o) => o.textContent);
  await screen.findByLabelText('Measured');
  expect(choices()).toEqual(['none']);
  showAnew(<OperationForm piece={measured} operation={up} main={true} busy={false} />);
  await waitFor(() => expect(choices()).toEqual(['none', 'Rim', 'Foot ring']));
  await userEvent.selectOptions(screen.getByLabelText('Measured'), 'Foot ring');
  await userEvent.click(screen.getAllByRole('button', { name: up.title })[1]);
  await waitFor(() =>
    expect(asked.at(-1)?.body).toEqual({ operationId: 'fuse.surface', params: { measured: 'Foot ring' } }),
  );
});

import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { Dimension, DimensionSheet } from '@amber-knit/core/dimensions';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { dimensionsDesk } from './dimensions-desk';
import { DimensionsPanel } from './dimensions-panel';

const wall: Dimension = { name: 'Rim', note: '', kind: 'wall', places: [[1, 2, 3]] };
const sheet: DimensionSheet = {
  asked: [wall],
  found: [
    {
      values: [
        { label: 'Wall', kind: 'length', value: 4.2, uncertainty: 0.05 },
        { label: 'Straight through', kind: 'length', value: 4.3 },
      ],
      places: [[1, 2, 3]],
      moved: 0,
      inventedRatio: 1,
      lines: [[1, 2, 3, 1, 2, 7]],
      label: [1, 2, 3],
    },
  ],
};

class SilentWorker {
  postMessage(): void {}
  terminate(): void {}
}
beforeEach(() => Object.assign(globalThis, { Worker: SilentWorker }));

const artifact = (id: string) => ({ id, facts: {} }) as never;
const piece = pieceWith({ mesh: artifact('m'), dimensions: artifact('d') });
const ANSWERS = {
  'GET pieces/p': piece,
  'GET artifacts/d/data': sheet,
  'POST pieces/p/steps': stepWith({ status: 'queued' }),
};

test('a piece without dimensions says how to make one', async () => {
  showWithServer(<DimensionsPanel piece={pieceWith({ mesh: artifact('m') })} steps={[]} busy={false} />, ANSWERS);
  expect(await screen.findByText(/Choose what to measure, then click in the view/)).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Angle' }));
  expect(screen.getByText('Click a place on one leg.')).toBeTruthy();
  expect(screen.getByRole('button', { name: 'Angle' }).getAttribute('aria-pressed')).toBe('true');
});

test('dimensions are listed with twice their uncertainty and what to be careful about; a chosen one shows all', async () => {
  showWithServer(<DimensionsPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const row = await screen.findByRole('button', { name: /Rim/, expanded: false });
  expect(row.textContent).toBe('1Rim4.20 mm');
  expect(screen.getByText('rests on surface that no scan measured')).toBeTruthy();
  await userEvent.click(row);
  expect(screen.getByText('Wall', { selector: 'dt' }).nextElementSibling!.textContent).toBe('4.20 mm ± 0.100 mm');
  expect(screen.getByText('Straight through').nextElementSibling!.textContent).toBe('4.30 mm');
});

test('what is picked, renamed or removed goes to the server as the whole sheet', async () => {
  const { asked } = showWithServer(<DimensionsPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  await userEvent.click(await screen.findByRole('button', { name: /Rim/, expanded: false }));
  await userEvent.clear(screen.getByRole('textbox', { name: 'Name' }));
  await userEvent.type(screen.getByRole('textbox', { name: 'Name' }), 'Lip{Enter}');
  const posted = () => asked.filter((a) => a.method === 'POST').map((a) => a.body);
  await waitFor(() => expect(posted()).toHaveLength(1));
  // Once is enough, however often the panel is drawn until the step has run.
  await new Promise((resolve) => setTimeout(resolve, 100));
  expect(posted()).toHaveLength(1);
  expect(posted()[0]).toEqual({
    operationId: 'check.measure',
    params: { dimensions: [{ ...wall, name: 'Lip' }] },
  });
});

test('while a step runs, what is picked waits', async () => {
  const { asked } = showWithServer(<DimensionsPanel piece={piece} steps={[]} busy />, ANSWERS);
  const list = await screen.findByRole('list');
  await userEvent.click(within(list).getByRole('button', { name: 'Remove Rim' }));
  expect(screen.queryByRole('list')).toBeNull();
  expect(asked.some((a) => a.method === 'POST')).toBe(false);
  expect(dimensionsDesk.current().wanted).toEqual([]);
  act(() => dimensionsDesk.refused());
});

test('on a changed surface they can be measured anew', async () => {
  const changed = pieceWith({ ...piece, dimensionsFresh: false });
  const { asked } = showWithServer(<DimensionsPanel piece={changed} steps={[]} busy={false} />, ANSWERS);
  await userEvent.click(await screen.findByRole('button', { name: 'Measure anew' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    operationId: 'check.measure',
    params: { dimensions: [wall] },
  });
});

test('a length that is known for sure gives the scale, which is set only when one says so twice', async () => {
  const { asked } = showWithServer(<DimensionsPanel piece={piece} steps={[]} busy={false} />, {
    ...ANSWERS,
    'GET artifacts/d/data': { ...sheet, asked: [{ ...wall, nominal: 4.0 }] },
  });
  await userEvent.click(await screen.findByRole('button', { name: /Rim/, expanded: false }));
  expect(screen.getByText(/0\.200 mm more than it should be/)).toBeTruthy();
  expect(screen.getByText('0.95238')).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Set the scale by it …' }));
  expect(asked.some((a) => a.method === 'POST')).toBe(false);
  await userEvent.click(screen.getByRole('button', { name: 'Scale all scans' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    operationId: 'clean.rescale',
    params: { was: 'factor', factor: 4 / 4.2 },
  });
});

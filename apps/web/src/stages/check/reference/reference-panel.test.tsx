import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { encodeDeviation } from '@amber-knit/core/stored';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { referenceDesk } from './reference-desk';
import { ReferencePanel } from './reference-panel';

const artifact = (id: string) => ({ id, facts: {} }) as never;
const piece = pieceWith({ mesh: artifact('m'), deviation: artifact('dev') });
const step = stepWith({ id: 'c1', operationId: 'check.compare', stage: 'check' });
const bytes = encodeDeviation({
  values: Float32Array.of(0.1, -0.4),
  tolerance: 0.2,
  reference: 'plan.stl',
  referenceFromPiece: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
  worst: [{ place: [1, 2, 3], deviation: -0.4 }],
});

/** Loads the comparison as the overlay does. */
async function loaded(): Promise<void> {
  const { fetch } = globalThis;
  globalThis.fetch = (async () => ({ ok: true, arrayBuffer: async () => bytes.buffer })) as never;
  referenceDesk.load('dev');
  await waitFor(() => expect(referenceDesk.current().deviation).not.toBeNull());
  globalThis.fetch = fetch;
}
afterEach(() => referenceDesk.load(undefined));

test('a piece that was never compared says what can be held against it', async () => {
  showWithServer(<ReferencePanel piece={pieceWith({ mesh: artifact('m') })} steps={[]} busy={false} />, {});
  expect(await screen.findByText(/A plan, an older scan, a mould/)).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'Compare again' })).toBeNull();
  expect(screen.getByLabelText<HTMLInputElement>('File of the reference').accept).toContain('.3mf');
});

test('the worst places are listed with their side; the same file can be compared again with another tolerance', async () => {
  await loaded();
  const { asked } = showWithServer(<ReferencePanel piece={piece} steps={[step]} busy={false} />, {
    'POST steps/c1/again': step,
  });
  const place = await screen.findByRole('listitem');
  expect(place.textContent).toBe('1−0.400 mminwards');
  expect(within(place).getByRole('button', { name: 'Go to place 1' })).toBeTruthy();
  const tolerance = screen.getByRole('spinbutton', { name: /Tolerance/ });
  await userEvent.clear(tolerance);
  await userEvent.type(tolerance, '0.5');
  await userEvent.selectOptions(screen.getByRole('combobox', { name: 'Place' }), 'near');
  await userEvent.click(screen.getByRole('button', { name: 'Compare again' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    params: { place: 'near', unit: 'mm', tolerance: 0.5 },
  });
});

test('deviations can be hidden; while a step runs nothing is begun', async () => {
  await loaded();
  showWithServer(<ReferencePanel piece={piece} steps={[step]} busy />, {});
  await userEvent.click(await screen.findByRole('checkbox', { name: /Show deviations from plan.stl/ }));
  expect(referenceDesk.current().shown).toBe(false);
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Another reference …' }).disabled).toBe(true);
});

test('a comparison that can’t be loaded says so', async () => {
  const { fetch } = globalThis;
  globalThis.fetch = (async () => ({ ok: false })) as never;
  referenceDesk.load('gone');
  await waitFor(() => expect(referenceDesk.current().failed).toMatch(/Reload the page/));
  globalThis.fetch = fetch;
});

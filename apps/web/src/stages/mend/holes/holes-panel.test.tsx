import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import type { FoundHole } from './hole-words';
import { HolesPanel } from './holes-panel';

const hole = (length: number, meant = false): FoundHole => ({
  length,
  meant,
  middle: [1, 2, 3],
  rim: new Float32Array(9),
});
let answer: unknown = { found: [hole(94.2), hole(31.4), hole(9.4)] };

/** A worker that answers at once: what it works out is tested with the core. */
class PromptWorker {
  onmessage: ((e: { data: unknown }) => void) | null = null;
  postMessage(): void {
    queueMicrotask(() => this.onmessage?.({ data: answer }));
  }
  terminate(): void {}
}
beforeEach(() => Object.assign(globalThis, { Worker: PromptWorker }));

const piece = pieceWith({ mesh: { id: 'm', facts: {} } as never });
const ANSWERS = { 'GET pieces/p': piece, 'POST pieces/p/steps': stepWith({ status: 'queued' }) };

test('holes are listed, chosen one by one or by size, and filled as chosen', async () => {
  const user = userEvent.setup();
  const { asked } = showWithServer(<HolesPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const panel = await screen.findByRole('region', { name: 'Holes' });
  await waitFor(() => expect(within(panel).getAllByRole('listitem')).toHaveLength(3));
  const items = within(panel).getAllByRole('listitem');
  expect(items[0].textContent).toMatch(/^1about 30 mm94.20 mm/);
  const fill = screen.getByRole<HTMLButtonElement>('button', { name: /^Fill/ });
  expect(fill.disabled).toBe(true);
  await user.click(within(items[1]).getByRole('checkbox'));
  expect(fill.textContent).toBe('Fill this hole');
  await user.click(screen.getByRole('button', { name: 'Choose none' }));
  const most = screen.getByRole('spinbutton', { name: /^Choose rims up to/ });
  await user.clear(most);
  await user.type(most, '40');
  expect(fill.textContent).toBe('Fill these 2 holes');
  await user.selectOptions(screen.getByRole('combobox', { name: 'Shape of fillings' }), 'flat');
  await user.click(fill);
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    operationId: 'mend.holes',
    params: { holes: '2, 3', shape: 'flat' },
  });
});

test('holes are marked as meant to be open, and no longer', async () => {
  const user = userEvent.setup();
  answer = { found: [hole(94.2, true), hole(31.4)] };
  const jug = pieceWith({ mesh: { id: 'jug', facts: {} } as never });
  const { asked } = showWithServer(<HolesPanel piece={jug} steps={[]} busy={false} />, ANSWERS);
  const items = await screen.findAllByRole('listitem');
  expect(items[0].textContent).toContain('meant to be open');
  await user.click(within(items[1]).getByRole('checkbox'));
  await user.click(screen.getByRole('button', { name: 'Meant to be open' }));
  await user.click(within(items[1]).getByRole('checkbox'));
  await user.click(within(items[0]).getByRole('checkbox'));
  await user.click(screen.getByRole('button', { name: 'No longer meant' }));
  await waitFor(() => expect(asked.filter((a) => a.method === 'POST')).toHaveLength(2));
  expect(asked.filter((a) => a.method === 'POST').map((a) => a.body)).toEqual([
    { operationId: 'mend.openings', params: { holes: '2', meant: true } },
    { operationId: 'mend.openings', params: { holes: '1', meant: false } },
  ]);
});

test('of very many holes the longest are listed, the others counted', async () => {
  answer = { found: Array.from({ length: 250 }, (_, i) => hole(300 - i)) };
  const torn = pieceWith({ mesh: { id: 'torn', facts: {} } as never });
  showWithServer(<HolesPanel piece={torn} steps={[]} busy={false} />, ANSWERS);
  expect(await screen.findByText('50 smaller ones follow; choose them by size.')).toBeTruthy();
  expect(screen.getAllByRole('listitem')).toHaveLength(200);
});

test('a surface without rims says so', async () => {
  answer = { found: [] };
  const closed = pieceWith({ mesh: { id: 'closed', facts: {} } as never });
  showWithServer(<HolesPanel piece={closed} steps={[]} busy={false} />, ANSWERS);
  expect(await screen.findByText(/has no rim/)).toBeTruthy();
});

test('a fault is told', async () => {
  answer = { failed: 'The data could not be fetched (503).' };
  const broken = pieceWith({ mesh: { id: 'broken', facts: {} } as never });
  showWithServer(<HolesPanel piece={broken} steps={[]} busy={false} />, ANSWERS);
  expect(await screen.findByText(/could not be fetched/)).toBeTruthy();
});

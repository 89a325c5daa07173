import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { WallMap } from '@amber-knit/core/measure';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { wallsDesk } from './walls-desk';
import { WallsPanel } from './walls-panel';

const mesh = { id: 'm', kind: 'mesh' as const, bytes: 1, facts: {}, stepId: null };
const piece = pieceWith({ mesh, watertight: false });
const map: WallMap = {
  thickness: Float32Array.of(0.8, 3),
  thinRatio: 0.042,
  unsureRatio: 0.2,
  thinnest: 0.8,
  places: Array.from({ length: 10 }, (_, k) => ({
    place: [k, 0, 0] as [number, number, number],
    thickness: 0.8 + k / 100,
    area: 90 - k,
    ...(k === 0 ? { uncertainty: 0.05 } : {}),
  })),
};
const show = (busy = false) =>
  showWithServer(<WallsPanel piece={piece} steps={[]} busy={busy} />, {
    'POST pieces/p/steps': stepWith({ status: 'queued' }),
  });
const hold = (found: typeof map) =>
  act(() =>
    (wallsDesk as unknown as { put(s: object): void }).put({
      ...wallsDesk.current(),
      found: { meshId: 'm', terms: wallsDesk.current().terms, map: found },
    }),
  );
afterEach(() => act(() => wallsDesk.clear()));

test('an open surface is told beforehand; what was found is said in words, and the broadest places are listed', async () => {
  show();
  expect(screen.getByText(/not closed: near its holes/)).toBeTruthy();
  hold(map);
  expect(
    screen.getByText(/4.2 % of the surface is thinner than 1.20 mm; of that 20.0 % may be thick enough/),
  ).toBeTruthy();
  const rows = within(screen.getByRole('list')).getAllByRole('listitem');
  expect(rows).toHaveLength(8);
  expect(rows[0].textContent).toMatch(/0.800 mm ± 0.100 mm.*90/);
  expect(screen.getByText('and 2 smaller ones')).toBeTruthy();
});

test('it is kept as a step with the terms it was measured with; other terms are to be measured first', async () => {
  const { asked } = show();
  hold({ ...map, places: [], thinRatio: 0 });
  expect(screen.getByText('No wall thinner than 1.20 mm.')).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Keep as a step' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    operationId: 'check.walls',
    params: { wall: 1.2, method: 'ray' },
  });
  await userEvent.selectOptions(screen.getByRole('combobox', { name: 'Measured' }), 'By a ball');
  expect(screen.queryByRole('button', { name: 'Keep as a step' })).toBeNull();
  act(() => wallsDesk.set({ method: 'ray' }));
});

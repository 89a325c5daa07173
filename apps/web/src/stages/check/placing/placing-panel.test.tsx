import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { FoundPlacing, PlacingSheet } from '@amber-knit/core/placing';
import type { Numbered } from '../../../shared/asking-worker';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { clashColors } from './clash-colors';
import { placingDesk } from './placing-desk';
import { PlacingPanel } from './placing-panel';
import { foundLines, foundText, placingCautions } from './placing-words';
import type { FromPlacing, ToPlacing } from './placing.worker';

const at = (z: number): number[] => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, z, 1];
const clear: FoundPlacing = {
  state: 'clear',
  clearance: { distance: 12.5, onPiece: [0, 0, 0], onScene: [0, 0, 0], invented: true, uncertainty: 0.05 },
};
const clash: FoundPlacing = {
  state: 'clash',
  clearance: { ...clear.clearance, distance: 0 },
  clash: { depth: 2, at: [0, 0, 0], within: 0.5, volume: 4200 },
};
class PromptWorker {
  onmessage: ((e: { data: Numbered<FromPlacing> }) => void) | null = null;
  postMessage({ number, message }: Numbered<ToPlacing>): void {
    const answer: FromPlacing =
      message.ask === 'open'
        ? { middle: [0, 0, 0], radius: 10, scene: { min: [0, 0, 0], max: [0, 0, 40] } }
        : { found: clear };
    queueMicrotask(() => act(() => this.onmessage?.({ data: { number, message: answer } })));
  }
  terminate(): void {}
}
const artifact = (id: string, facts: object = {}) => ({ id, facts }) as never;
const alone = pieceWith({ mesh: artifact('m') });
const placed = pieceWith({ mesh: artifact('m'), surroundings: artifact('s', { name: 'Wheelhouse corner' }) });
const other = { ...pieceWith({ id: 'c', name: 'Wheelhouse corner', mesh: artifact('cm') }), triangles: 9 };
beforeEach(() => void Object.assign(globalThis, { Worker: PromptWorker }));
afterEach(() => act(() => placingDesk.clear()));

test('surroundings are another piece that has a surface', async () => {
  const { asked } = showWithServer(<PlacingPanel piece={alone} steps={[]} busy={false} />, {
    'GET pieces': [{ ...alone, triangles: 5 }, other, { ...other, id: 'x', name: 'Not fused', triangles: 0 }],
    'GET pieces/c': other,
    'POST pieces/p/imports': stepWith({}),
  });
  expect(screen.getByText(/Puts the piece into another scanned place/)).toBeTruthy();
  await waitFor(() =>
    expect(screen.getByRole<HTMLButtonElement>('button', { name: /In the place of a piece/ }).disabled).toBe(false),
  );
  await userEvent.click(screen.getByRole('button', { name: /In the place of a piece/ }));
  expect((await screen.findAllByRole('menuitem')).map((m) => m.textContent)).toEqual(['Wheelhouse corner']);
  await userEvent.click(screen.getByRole('menuitem'));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    artifact: 'cm',
    operationId: 'check.surroundings',
    params: {},
  });
});

test('the piece is moved by numbers, and what is kept goes to the server as a step', async () => {
  const { asked } = showWithServer(<PlacingPanel piece={placed} steps={[]} busy={false} />, {
    'GET pieces': [],
    'POST pieces/p/steps': stepWith({ id: 's9', operationId: 'check.placings', status: 'running' }),
  });
  await userEvent.click(screen.getByRole('button', { name: 'Place it' }));
  const how = await screen.findByRole('status', { name: 'How it lies' });
  await waitFor(() => expect(how.textContent).toMatch(/Clear.*Clearance12.50 mm ± 0.100 mm/));
  expect(how.textContent).toMatch(/no scan measured/);
  const z = screen.getByRole<HTMLInputElement>('spinbutton', { name: 'Middle, Z mm' });
  expect(z.value).toBe('50');
  await userEvent.clear(z);
  await userEvent.type(z, '44');
  expect(placingDesk.current().motion).toEqual(at(44));
  await userEvent.click(screen.getByRole('button', { name: 'Keep this placing' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    operationId: 'check.placings',
    params: { placings: [{ name: 'Placing 1', note: '', sceneFromPiece: at(44) }], ways: false },
  });
  await userEvent.click(screen.getByRole('button', { name: 'Done' }));
  expect(placingDesk.current().open).toBeNull();
});

test('placings are compared in a list, with the way between, and say when they are out of date', async () => {
  const sheet: PlacingSheet = {
    surroundings: 'Wheelhouse corner',
    asked: [
      { name: 'Shelf', note: '', sceneFromPiece: at(1) },
      { name: 'Floor', note: '', sceneFromPiece: at(2) },
    ],
    found: [clear, clash],
    ways: [{ profile: [12, 3, -2], at: 1, sceneFromPiece: at(2), found: clash, within: 0.02 }],
  };
  const { asked } = showWithServer(
    <PlacingPanel piece={{ ...placed, placings: artifact('pl'), placingsFresh: false }} steps={[]} busy={false} />,
    { 'GET pieces': [], 'GET artifacts/pl/data': sheet, 'POST pieces/p/steps': stepWith({}) },
  );
  const list = await screen.findByRole('list', { name: 'Placings' });
  const [shelf, floor] = within(list).getAllByRole('listitem');
  expect(shelf.textContent).toMatch(/Shelfclear 12.50 mm/);
  expect(floor.textContent).toMatch(/Floor2.00 mm deep/);
  expect(within(floor).getByRole('figure', { name: 'Way from Shelf to Floor: clashes, 2.00 mm deep' })).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Look anew' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toMatchObject({ params: { placings: sheet.asked, ways: true } });
});

test('what was found is told shortly, in full, and with what to be careful about', () => {
  expect([foundText(clear), foundText(clash)]).toEqual(['12.50 mm', '2.00 mm deep']);
  expect(foundLines(clash)).toEqual([
    ['Depth', '2.00 mm, at most 2.50 mm'],
    ['In the same place', '4.2 cm³'],
  ]);
  expect(placingCautions({ ...clear, state: 'unseen' })).toEqual([expect.stringMatching(/nobody knows/)]);
  expect(placingCautions(clash)).toEqual([]);
});

test('depths are told from clear surface, and deeper is darker', () => {
  const c = clashColors(Float32Array.of(0, 0.1, 1, 4));
  const sum = (v: number): number => c[3 * v] + c[3 * v + 1] + c[3 * v + 2];
  expect(sum(1)).toBeGreaterThan(sum(2));
  expect(sum(2)).toBeGreaterThan(sum(3));
  expect([...c.subarray(0, 3)]).not.toEqual([...c.subarray(3, 6)]);
});

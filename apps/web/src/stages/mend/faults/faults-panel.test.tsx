import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { FaultKind } from '@amber-knit/core/mending';
import { ViewHarness } from '../../../../test/view-harness';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { holesClient } from '../holes/holes-client';
import { cornersOf, kindCounts, type FoundFault } from './fault-words';
import { faultsClient } from './faults-client';
import { FaultsOverlay } from './faults-overlay';
import { FaultsPanel } from './faults-panel';

const fault = (kind: FaultKind, size: number): FoundFault => ({
  kind,
  place: [1, 2, 3],
  size,
  triangles: 1,
  corners: new Float32Array(9).fill(size),
});
const LIST = [fault('crossing', 5), fault('crossing', 2), fault('loose', 3), fault('loose', 1)];
let answer: unknown;
let holes: unknown[] = [];

/** Workers that answer at once: what they work out is tested with the core. */
class PromptWorker {
  onmessage: ((e: { data: unknown }) => void) | null = null;
  private readonly forHoles: boolean;
  constructor(url: URL) {
    this.forHoles = String(url).includes('holes');
  }
  postMessage(): void {
    queueMicrotask(() => act(() => this.onmessage?.({ data: this.forHoles ? { found: holes } : answer })));
  }
  terminate(): void {}
}
beforeEach(() => {
  Object.assign(globalThis, { Worker: PromptWorker });
  answer = { found: LIST };
  holes = [];
});
afterEach(() =>
  act(() => {
    faultsClient.clear();
    holesClient.clear();
  }),
);

const ANSWERS = { 'POST pieces/p/steps': stepWith({ status: 'queued' }) };
const show = (id: string) => {
  const piece = pieceWith({ mesh: { id, facts: {} } as never });
  const shown = showWithServer(<FaultsPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  act(() => holesClient.look(id));
  return shown;
};
const region = (): HTMLElement => screen.getByRole('region', { name: 'What is wrong' });

test('the verdict says why; faults are chosen by kind or one by one, marked, and mended as chosen', async () => {
  const user = userEvent.setup();
  const { asked } = show('m');
  const view = new ViewHarness(FaultsOverlay);
  await waitFor(() => expect(region().textContent).toContain('Not watertight: 2 places where it crosses itself.'));
  expect(within(region()).getAllByRole('listitem')).toHaveLength(2 + 4);
  expect(view.last('showApart')).toEqual(['faults', undefined]);
  await user.click(screen.getByRole('button', { name: 'Crossing triangles 2' }));
  await user.click(within(screen.getByRole('list', { name: 'Faults' })).getAllByRole('checkbox')[2]);
  expect((view.last('showApart')![1] as { positions: Float32Array }).positions).toHaveLength(27);
  await user.click(screen.getByRole('button', { name: 'Mend these 3 faults' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    operationId: 'mend.faults',
    params: { faults: '1-3' },
  });
  view.leave();
});

test('all that is safe is left to the operation', async () => {
  const user = userEvent.setup();
  const { asked } = show('m2');
  await user.click(await screen.findByRole('button', { name: 'Mend all that is safe' }));
  await waitFor(() => expect(asked.find((a) => a.method === 'POST')?.body).toMatchObject({ params: { faults: '' } }));
});

test('a loose piece does not speak against a whole surface, a hole does', async () => {
  answer = { found: [fault('loose', 1)] };
  show('m3');
  await waitFor(() => expect(region().textContent).toContain('Watertight: closed, one outside, no crossings.'));
  expect(screen.queryByRole('button', { name: 'Mend all that is safe' })).toBeNull();
  act(() => holesClient.clear());
  const hole = (meant: boolean) => ({ length: 3, middle: [0, 0, 0], rim: new Float32Array(9), meant });
  holes = [hole(false), hole(true)];
  act(() => holesClient.look('m3'));
  await waitFor(() => expect(region().textContent).toContain('Not watertight: 1 hole.'));
  act(() => holesClient.clear());
  holes = [hole(true)];
  act(() => holesClient.look('m3'));
  await waitFor(() => expect(region().textContent).toContain('Closed but for what is meant to be open: 1 opening.'));
});

test('a fault of the looking itself is told', async () => {
  answer = { failed: 'The data could not be fetched (503).' };
  show('m4');
  expect(await screen.findByText(/could not be fetched/)).toBeTruthy();
});

test('kinds are counted in the order of the list', () => {
  expect(kindCounts(LIST)).toEqual([
    ['crossing', 2],
    ['loose', 2],
  ]);
  expect(Array.from(cornersOf(LIST.slice(2)))).toEqual([...Array<number>(9).fill(3), ...Array<number>(9).fill(1)]);
});

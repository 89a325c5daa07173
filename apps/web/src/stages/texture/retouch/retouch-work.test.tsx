import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { Dab } from '@amber-knit/core/geometry';
import type { Touch } from '@amber-knit/core/retouching';
import { ViewHarness } from '../../../../test/view-harness';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { keptTouches } from './kept-touches';
import { retouchClient } from './retouch-client';
import { retouchDesk } from './retouch-desk';
import type { FromRetouch, ToRetouch } from './retouch-messages';
import { RetouchOverlay } from './retouch-overlay';
import { RetouchPanel } from './retouch-panel';

const asked: ToRetouch[] = [];
const touches: Touch[] = [];
const undone: Touch[] = [];
const TILE = { x: 64, y: 0, width: 64, height: 64, rgba: new Uint8Array(4 * 64 * 64) };

/** Answers as the worker does, without a map: what it does to one is tested with the core. */
class PretendWorker {
  onmessage: ((e: { data: FromRetouch }) => void) | null = null;
  onerror: (() => void) | null = null;
  private stroke: (Touch & { dabs: Dab[] }) | null = null;
  postMessage(m: ToRetouch): void {
    asked.push(m);
    queueMicrotask(() => act(() => this.answer(m)));
  }
  terminate(): void {}
  private tell(data: FromRetouch): void {
    this.onmessage?.({ data });
  }
  private answer(m: ToRetouch): void {
    if (m.ask === 'open') {
      touches.splice(0, Infinity, ...m.edits);
      this.tell({ tell: 'opened', png: new Uint8Array(1), size: 2048, bounds: { min: [0, 0, 0], max: [160, 90, 60] } });
      if (touches.length > 0) this.tell({ tell: 'tiles', tiles: [TILE] });
    } else if (m.ask === 'begin') this.stroke = { ...m.manner, dabs: [] } as never;
    else if (m.ask === 'dab') {
      this.stroke?.dabs.push(m.dab);
      this.tell({ tell: 'tiles', tiles: [TILE] });
    } else if (m.ask === 'end' && this.stroke) touches.push(this.stroke);
    else if (m.ask === 'frames') this.tell({ tell: 'frames', scan: m.scan, names: ['frame 1', 'frame 2'] });
    else if (m.ask === 'undo') undone.push(touches.pop()!);
    else if (m.ask === 'redo') touches.push(undone.pop()!);
    this.tell({ tell: 'done', edits: touches.slice(), canRedo: undone.length > 0, notes: [] });
  }
}

beforeEach(() => {
  asked.length = touches.length = undone.length = 0;
  localStorage.clear();
  Object.assign(globalThis, { Worker: PretendWorker });
  // Pictures are not drawn here.
  HTMLCanvasElement.prototype.getContext = (() => null) as never;
});
afterEach(() =>
  act(() => {
    retouchDesk.choose(null);
    retouchDesk.set({ from: null, scan: null, frame: null, radius: 0 });
    retouchClient.close();
  }),
);

const scanList = [
  { name: 'lip side', framesId: 'f1', placement: { state: 'registered', pieceFromScan: [1] } },
  { name: 'loose one', framesId: 'f2', placement: { state: 'loose', pieceFromScan: [1] } },
  { name: 'no pictures', framesId: null, placement: { state: 'registered', pieceFromScan: [1] } },
];
const piece = pieceWith({ model: { id: 'm', facts: {} }, scanList } as never);
const ANSWERS = { 'POST pieces/p/steps': stepWith({ status: 'queued' }) };
const heal: Touch = { kind: 'heal', opacity: 1, hardness: 0.5, dabs: [[0, 0, 0, 5, 1]] };
const region = (): HTMLElement => screen.getByRole('region', { name: 'Colours by hand' });
const button = (name: string | RegExp): HTMLButtonElement => within(region()).getByRole('button', { name });

function show(): { view: ViewHarness; posted: ReturnType<typeof showWithServer>['asked'] } {
  const { asked: posted } = showWithServer(<RetouchPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const view = new ViewHarness(RetouchOverlay, piece, 'model');
  view.pick = (x) => ({ point: [x, 0, 0], snapped: false });
  return { view, posted };
}

test('the map is read once a tool is taken; strokes are seen as they are drawn, and kept as a step', async () => {
  const user = userEvent.setup();
  const { view, posted } = show();
  expect(asked).toEqual([]);
  await user.click(button('Heal'));
  await waitFor(() => expect(view.last('setDrawing')).toEqual([true]));
  expect(asked[0]).toMatchObject({
    ask: 'open',
    surface: 'm',
    edits: [],
    scans: [{ name: 'lip side', framesId: 'f1' }],
  });
  // A fortieth of the piece.
  expect(retouchDesk.current().radius).toBe(4);
  view.press(10, 10);
  view.move(40, 10);
  view.release(40, 10);
  await waitFor(() => expect(region().textContent).toContain('1 stroke not kept yet.'));
  expect(view.last('patchMap')).toEqual(['m', [TILE]]);
  expect(keptTouches.of('m')).toHaveLength(1);
  await user.click(button('Take back the last stroke'));
  await waitFor(() => expect(region().textContent).toContain('All taken back.'));
  await user.click(button('Do it again'));
  await waitFor(() => expect(button('Keep as a step').disabled).toBe(false));
  await user.click(button('Keep as a step'));
  await waitFor(() => expect(posted.find((a) => a.method === 'POST')).toBeDefined());
  expect(posted.find((a) => a.method === 'POST')!.body).toMatchObject({
    operationId: 'texture.by-hand',
    params: { touches: [{ kind: 'heal', hardness: 0.6, opacity: 1 }] },
  });
  view.leave();
});

test('a copy wants a place to copy from first; Alt and a click choose another', async () => {
  const user = userEvent.setup();
  const { view } = show();
  await user.click(button('Copy'));
  await waitFor(() => expect(view.text).toContain('Click the place to copy from.'));
  view.click(25, 10);
  expect(retouchDesk.current().from).toEqual([25, 0, 0]);
  expect(asked.some((m) => m.ask === 'begin')).toBe(false);
  expect(view.text).toContain('Draw where the copy is to go.');
  expect((view.last('showApart')![1] as { positions: Float32Array }).positions[0]).toBe(25);
  view.click(70, 10);
  expect(asked.find((m) => m.ask === 'begin')).toMatchObject({
    manner: { kind: 'copy', from: [25, 0, 0], turn: 0, heal: false },
  });
  view.press(90, 10, { altKey: true });
  expect(retouchDesk.current().from).toEqual([90, 0, 0]);
  await user.click(button('Copy from another place'));
  expect(retouchDesk.current().from).toBeNull();
  view.leave();
});

test('colours of a picture: only registered scans with pictures are offered, and one must be chosen', async () => {
  const user = userEvent.setup();
  const { view } = show();
  await user.click(button('Picture'));
  await waitFor(() => expect(view.text).toContain('Choose a picture first.'));
  view.click(25, 10);
  expect(asked.some((m) => m.ask === 'begin')).toBe(false);
  const scans = within(region()).getByLabelText('Scan');
  expect([...scans.querySelectorAll('option')].map((o) => o.textContent)).toEqual(['Choose …', 'lip side']);
  await user.selectOptions(scans, 'lip side');
  await waitFor(() => expect(within(region()).getByLabelText('Picture')).toBeDefined());
  await user.selectOptions(within(region()).getByLabelText('Picture'), 'frame 2');
  view.click(25, 10);
  expect(asked.find((m) => m.ask === 'begin')).toMatchObject({
    manner: { kind: 'picture', scan: 'lip side', frame: 'frame 2', heal: true },
  });
  view.leave();
});

test('what was begun comes back with the page and is shown; thrown away, the map is shown as it is stored', async () => {
  const user = userEvent.setup();
  keptTouches.keep('m', [heal]);
  const { view } = show();
  await waitFor(() => expect(region().textContent).toContain('1 stroke not kept yet.'));
  await waitFor(() => expect(view.last('patchMap')).toEqual(['m', [TILE]]));
  await user.click(button('Throw away'));
  expect(view.last('showAnew')).toEqual(['m']);
  expect(keptTouches.of('m')).toEqual([]);
  view.leave();
});

test('keys change the brush and use it at the middle; Escape ends the tool', async () => {
  const user = userEvent.setup();
  const { view } = show();
  await user.click(button('Tone'));
  await waitFor(() => expect(retouchClient.current().opened).not.toBeNull());
  view.key('[');
  expect(retouchDesk.current().radius).toBe(3.2);
  view.key('Enter');
  expect(asked.slice(-3)).toMatchObject([
    { ask: 'begin', manner: { kind: 'tone', lighter: 0.2, strength: 1, hue: 0 } },
    { ask: 'dab' },
    { ask: 'end' },
  ]);
  expect(view.key('q')).toBe(false);
  view.key('Escape');
  expect(retouchDesk.current().tool).toBeNull();
  view.leave();
});

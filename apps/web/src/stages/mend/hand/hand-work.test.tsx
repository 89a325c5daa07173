import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { Dab, HandEdit } from '@amber-knit/core/handwork';
import { ViewHarness } from '../../../../test/view-harness';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { handClient } from './hand-client';
import { handDesk } from './hand-desk';
import type { FromHand, ToHand } from './hand-messages';
import { HandOverlay } from './hand-overlay';
import { HandPanel } from './hand-panel';
import { keptEdits } from './kept-edits';

const asked: ToHand[] = [];
const workers: PretendWorker[] = [];
const edits: HandEdit[] = [];
const undone: HandEdit[] = [];
const PARTS = {
  positions: Float32Array.of(0, 0, 0, 10, 0, 0, 0, 10, 0),
  indices: Uint32Array.of(0, 1, 2),
  bounds: { min: [0, 0, 0], max: [150, 90, 60] },
};

/** Answers as the worker does, without a surface: what it does to one is tested with the core. */
class PretendWorker {
  onmessage: ((e: { data: FromHand }) => void) | null = null;
  onerror: (() => void) | null = null;
  private stroke: (HandEdit & { dabs: Dab[] }) | null = null;
  constructor() {
    workers.push(this);
  }
  postMessage(m: ToHand): void {
    asked.push(m);
    queueMicrotask(() => act(() => this.answer(m)));
  }
  terminate(): void {}
  tell(data: FromHand): void {
    this.onmessage?.({ data });
  }
  private answer(m: ToHand): void {
    if (m.ask === 'open') {
      edits.splice(0, Infinity, ...m.edits);
      this.tell({ tell: 'surface', parts: PARTS });
    } else if (m.ask === 'begin') this.stroke = { ...m.manner, dabs: [] };
    else if (m.ask === 'dab') {
      this.stroke?.dabs.push(m.dab);
      this.tell({
        tell: 'moved',
        moved: { vertices: Uint32Array.of(1), positions: Float32Array.of(1, 2, 3), normals: Float32Array.of(0, 0, 1) },
      });
    } else if (m.ask === 'end' && this.stroke) edits.push(this.stroke);
    else if (m.ask === 'reach') this.tell({ tell: 'reached', positions: Float32Array.of(1, 1, 1) });
    else if (m.ask === 'do' && m.edit.kind === 'bridge') this.tell({ tell: 'failed', reason: 'No rim here.' });
    else if (m.ask === 'do') edits.push(m.edit);
    else if (m.ask === 'undo') undone.push(edits.pop()!);
    else if (m.ask === 'redo') edits.push(undone.pop()!);
    this.tell({ tell: 'done', edits: edits.slice(), canRedo: undone.length > 0, notes: [] });
  }
}

beforeEach(() => {
  asked.length = workers.length = edits.length = undone.length = 0;
  localStorage.clear();
  Object.assign(globalThis, { Worker: PretendWorker });
});
afterEach(() =>
  act(() => {
    handDesk.choose(null);
    handClient.close();
  }),
);

const piece = pieceWith({ mesh: { id: 'm', facts: {} } as never });
const ANSWERS = { 'POST pieces/p/steps': stepWith({ status: 'queued' }) };
const push: HandEdit = { kind: 'push', dabs: [[0, 0, 0, 5, 1]], amount: 1 };
const region = (): HTMLElement => screen.getByRole('region', { name: 'By hand' });
const button = (name: string | RegExp): HTMLButtonElement => within(region()).getByRole('button', { name });

test('nothing is read before a tool is taken; then strokes are drawn, taken back, and kept as a step', async () => {
  const user = userEvent.setup();
  const { asked: posted } = showWithServer(<HandPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const view = new ViewHarness(HandOverlay, piece, 'surface');
  view.pick = (x) => ({ point: [x, 0, 0], snapped: false });
  expect(asked).toEqual([]);
  await user.click(button('Push'));
  await waitFor(() => expect(view.last('showDraft')).toEqual([{ id: 'by hand 1', parts: PARTS }]));
  expect(view.last('setDrawing')).toEqual([true]);
  expect(handDesk.current().radius).toBe(5);
  expect(view.text).toContain('Draw over what is to go out or in.');
  view.press(10, 10);
  view.move(40, 10);
  view.release(40, 10);
  expect(asked.map((m) => m.ask).filter((a) => a !== 'dab')).toEqual(['open', 'begin', 'end']);
  expect(asked.filter((m) => m.ask === 'dab').length).toBeGreaterThan(4);
  await waitFor(() => expect(region().textContent).toContain('1 edit not kept yet.'));
  expect(view.told.some(([name]) => name === 'moveDraft')).toBe(true);
  expect(keptEdits.of('m')).toHaveLength(1);
  await user.click(button('Take back the last edit'));
  await waitFor(() => expect(region().textContent).toContain('All taken back.'));
  expect(keptEdits.of('m')).toEqual([]);
  await user.click(button('Do it again'));
  await waitFor(() => expect(button('Keep as a step').disabled).toBe(false));
  await user.click(button('Keep as a step'));
  await waitFor(() => expect(posted.find((a) => a.method === 'POST')).toBeDefined());
  expect(posted.find((a) => a.method === 'POST')!.body).toMatchObject({
    operationId: 'mend.by-hand',
    params: { edits: [{ kind: 'push', amount: 1 }] },
  });
  view.leave();
  expect(view.last('showDraft')).toEqual([undefined]);
});

test('once the step has made a new surface, what was drawn is not drawn again', async () => {
  keptEdits.keep('m', [push]);
  showWithServer(<HandPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  await waitFor(() => expect(region().textContent).toContain('1 edit not kept yet.'));
  expect(asked).toEqual([{ ask: 'open', surface: 'm', edits: [push] }]);
  act(() => handClient.setSent(true));
  act(() => handClient.open('m2'));
  expect(keptEdits.of('m')).toEqual([]);
  expect(asked.at(-1)).toEqual({ ask: 'open', surface: 'm2', edits: [] });
});

test('what could not be done is said; what a worker loses is done again from what is kept', async () => {
  const user = userEvent.setup();
  showWithServer(<HandPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const view = new ViewHarness(HandOverlay, piece, 'surface');
  view.pick = (x) => ({ point: [x, 0, 0], snapped: false });
  await user.click(button('Bridge'));
  await waitFor(() => expect(handClient.current().shown).not.toBeNull());
  view.press(10, 10);
  view.move(90, 10);
  view.release(90, 10);
  await waitFor(() => expect(region().textContent).toContain('No rim here.'));
  expect(asked.at(-1)).toEqual({
    ask: 'do',
    edit: { kind: 'bridge', from: [10, 0, 0], to: [90, 0, 0], width: 3 },
  });
  await user.click(button('Fill'));
  view.click(30, 10);
  await waitFor(() => expect(region().textContent).toContain('1 edit not kept yet.'));
  act(() => workers[0].onerror?.());
  expect(region().textContent).toContain('what was done is kept');
  await user.click(button('Erase'));
  await waitFor(() => expect(region().textContent).toContain('1 edit not kept yet.'));
  expect(workers).toHaveLength(2);
  expect(asked.at(-1)).toMatchObject({ ask: 'open', edits: [{ kind: 'fill' }] });
  view.leave();
});

test('a lasso is drawn in the view and done when the pen leaves', async () => {
  const user = userEvent.setup();
  showWithServer(<HandPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const view = new ViewHarness(HandOverlay, piece, 'surface');
  await user.click(button('Lasso'));
  await waitFor(() => expect(handClient.current().shown).not.toBeNull());
  await user.click(screen.getByRole('checkbox', { name: 'Through the object' }));
  view.press(10, 10);
  view.move(90, 10);
  view.move(50, 80);
  expect(view.container.querySelector('polyline')!.getAttribute('points')).toBe('10,10 90,10 50,80');
  view.release(50, 80);
  expect(asked.at(-1)).toMatchObject({
    ask: 'do',
    edit: { kind: 'lasso', outline: [10, 10, 90, 10, 50, 80], size: [800, 600], through: true, refill: true },
  });
  await waitFor(() => expect(region().textContent).toContain('1 edit not kept yet.'));
  view.leave();
});

test('keys change the brush and use the tool; Escape ends it; a tool of the view takes its place', async () => {
  const user = userEvent.setup();
  showWithServer(<HandPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const view = new ViewHarness(HandOverlay, piece, 'surface');
  view.pick = () => ({ point: [0, 0, 0], snapped: false });
  await user.click(button('Erase'));
  await waitFor(() => expect(handClient.current().shown).not.toBeNull());
  view.key(']');
  expect(handDesk.current().radius).toBe(6.3);
  expect(view.key('q')).toBe(false);
  view.key('Enter');
  expect(asked.slice(-2)).toMatchObject([{ ask: 'reach' }, { ask: 'do', edit: { kind: 'erase' } }]);
  view.key('Escape');
  expect(handDesk.current().tool).toBeNull();
  expect(button('Erase').getAttribute('aria-pressed')).toBe('false');
  view.leave();
});

test('much work is sent as several steps, and none of it twice', () => {
  const long: HandEdit = { kind: 'erase', dabs: Array<Dab>(5000).fill([123.456, 123.456, 123.456, 12.5, 0.123]) };
  const edits = Array.from({ length: 50 }, () => long);
  const parts = keptEdits.inParts(edits);
  expect(parts.length).toBeGreaterThan(1);
  expect(parts.flat()).toHaveLength(50);
  for (const part of parts) expect(JSON.stringify(part).length).toBeLessThan(4_100_000);
  expect(keptEdits.inParts(Array.from({ length: 2001 }, () => push)).map((p) => p.length)).toEqual([2000, 1]);
  expect(keptEdits.inParts([push])).toEqual([[push]]);
});

test('a step that failed leaves the work as it was', async () => {
  keptEdits.keep('m', [push]);
  const failed = stepWith({ operationId: 'mend.by-hand', status: 'failed' });
  showWithServer(<HandPanel piece={piece} steps={[failed]} busy={false} />, ANSWERS);
  await waitFor(() => expect(region().textContent).toContain('1 edit not kept yet.'));
  act(() => handClient.setSent(true));
  await waitFor(() => expect(handClient.current().sent).toBe(false));
  act(() => handClient.open('m2'));
  expect(keptEdits.of('m')).toEqual([push]);
});

test('what the browser keeps is looked through before it is used', () => {
  localStorage.setItem('amber-knit handwork', '[["m",[{"kind":"melt"}]]]');
  expect(keptEdits.of('m')).toEqual([]);
  localStorage.setItem('amber-knit handwork', 'no json');
  expect(keptEdits.of('m')).toEqual([]);
  for (let i = 0; i < 9; i++) keptEdits.keep(`m${i}`, [push]);
  expect([keptEdits.of('m0'), keptEdits.of('m8')]).toEqual([[], [push]]);
});

import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { NO_ANGLE, type VertexKnowledge } from '@amber-knit/core/geometry';
import { pieceWith, showWithServer } from '../../../../test/with-server';
import { store } from '../../../app/store';
import { qualityColors, qualityTint } from './knowledge-colors';
import { KnowledgePanel } from './knowledge-panel';
import type { AskKnowledge, FromKnowledge } from './knowledge.worker';
import { isBeyond, QUALITIES, QUALITY_IDS } from './qualities';

const asked: AskKnowledge[] = [];
let answer: (ask: AskKnowledge) => FromKnowledge;

/** A worker that answers at once: what it works out is tested with the core. */
class PromptWorker {
  onmessage: ((e: { data: FromKnowledge }) => void) | null = null;
  postMessage(ask: AskKnowledge): void {
    asked.push(ask);
    queueMicrotask(() => this.onmessage?.({ data: answer(ask) }));
  }
  terminate(): void {}
}
beforeEach(() => {
  asked.length = 0;
  Object.assign(globalThis, { Worker: PromptWorker });
  answer = (ask) => ({
    for: ask,
    found: {
      quality: ask.quality,
      limit: ask.limit ?? 0.02,
      spread: { from: 0, to: 0.05, bars: [1, 5, 3, 1], known: 10, unknown: 2 },
      beyond: 1.25,
      places: [{ place: [1, 2, 3], facing: [0, 0, 1], vertex: 0, area: 16, worst: 0.041 }],
    },
  });
});

const ANSWERS = {};
let meshes = 0;
const show = (): void => {
  // A surface that was not looked at before.
  const piece = pieceWith({ mesh: { id: `m${meshes++}`, facts: {} } as never });
  showWithServer(<KnowledgePanel piece={piece} steps={[]} busy={false} />, ANSWERS);
};

test('nothing is worked out before it is wanted; then the share and the places are told', async () => {
  const user = userEvent.setup();
  show();
  expect(asked).toEqual([]);
  await user.click(screen.getByRole('checkbox', { name: 'Show it on the surface' }));
  const panel = screen.getByRole('region', { name: 'How well measured' });
  await waitFor(() =>
    expect(panel.textContent).toContain('12.5 % of the measured surface is expected to be off by more than'),
  );
  expect(within(panel).getByRole('img').getAttribute('aria-label')).toMatch(/^Histogram of expected error: 12.5 %/);
  expect(
    within(panel)
      .getAllByRole('listitem')
      .map((li) => li.textContent),
  ).toEqual([expect.stringMatching(/^116.*0.041 mm/)]);
  expect(panel.textContent).toContain('Grey: not measured');
});

test('a place is gone to from the side that it faces', async () => {
  const user = userEvent.setup();
  show();
  await user.click(screen.getByRole('checkbox'));
  await user.click(await screen.findByRole('button', { name: 'Go to place 1' }));
  expect(store.getState().view.lookedAt).toEqual({ place: [1, 2, 3], size: 15, from: [1, 2, 18] });
});

test('another quality is asked for with its own limit, a limit of one’s own is kept', async () => {
  const user = userEvent.setup();
  show();
  await user.click(screen.getByRole('checkbox'));
  await user.selectOptions(await screen.findByRole('combobox', { name: 'By' }), 'angle');
  await waitFor(() => expect(asked.at(-1)).toMatchObject({ quality: 'angle', limit: undefined }));
  const limit = await screen.findByRole('spinbutton', { name: /^At most/ });
  await user.clear(limit);
  await user.type(limit, '45');
  await waitFor(() => expect(asked.at(-1)).toMatchObject({ quality: 'angle', limit: 45 }));
});

test('an old surface says what to do, a fault is told', async () => {
  const user = userEvent.setup();
  answer = (ask) => ({ for: ask, found: null });
  show();
  await user.click(screen.getByRole('checkbox'));
  expect(await screen.findByText(/does not know it. Fuse the scans/)).toBeTruthy();
  answer = () => ({ failed: 'The data could not be fetched (503).' });
  await user.selectOptions(screen.getByRole('combobox', { name: 'By' }), 'scans');
  expect(await screen.findByText(/could not be fetched/)).toBeTruthy();
});

const known: VertexKnowledge = {
  invented: Uint8Array.of(0, 0, 0, 1),
  scanCount: Uint8Array.of(1, 4, 0, 0),
  expectedError: Float32Array.of(0.01, 0.05, NaN, 0.01),
  bestAngle: Uint8Array.of(10, 70, NO_ANGLE, 10),
  bestDistance: Float32Array.of(300, 400, NaN, NaN),
  residual: Float32Array.of(0.02, 0.2, NaN, NaN),
};

test.each(QUALITY_IDS)('%s: what is beyond, not known and invented looks different', (id) => {
  const q = QUALITIES[id];
  const of = q.of(known)!;
  const limit = (of(0) + of(1)) / 2;
  const at = qualityColors(q, known, 4, limit, 2 * limit)!;
  const rgb = (v: number): string => at.subarray(3 * v, 3 * v + 3).join();
  expect(isBeyond(q, of(0), limit)).not.toBe(isBeyond(q, of(1), limit));
  expect(rgb(0)).not.toBe(rgb(1));
  expect(rgb(2)).toBe(rgb(3));
  expect(rgb(2)).not.toBe(rgb(0));
  expect(rgb(2)).not.toBe(rgb(1));
  expect(qualityTint(q, NaN, limit, 1)).toBe(qualityTint(q, of(2), limit, 1));
});

test('a surface without this knowledge is left as it is', () => {
  expect(qualityColors(QUALITIES.angle, {}, 4, 60, 90)).toBeUndefined();
});

import { act, render, screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { ScanView } from '@amber-knit/contracts';
import { pieceWith } from '../../../../test/with-server';
import type { DraftSurface } from '../../../view/content-layers';
import type { OverlayProps } from '../../../view/view-overlay';
import { previewClient } from './preview-client';
import { PreviewOverlay } from './preview-overlay';
import type { AskPreview, FromPreview } from './preview.worker';

const asked: AskPreview[] = [];
let answer: FromPreview | null;
let ended = 0;

/** A worker that answers at once, or never: what it works out is tested with the core. */
class PromptWorker {
  onmessage: ((e: { data: FromPreview }) => void) | null = null;
  postMessage(ask: AskPreview): void {
    asked.push(ask);
    const data = answer;
    if (data) queueMicrotask(() => this.onmessage?.({ data }));
  }
  terminate(): void {
    ended++;
  }
}

const mesh = { positions: Float32Array.of(0, 0, 0, 10, 0, 0, 0, 10, 0), indices: Uint32Array.of(0, 1, 2) };
const scan = (name: string, state: string): ScanView =>
  ({ id: name, name, placement: { name, state, pieceFromScan: [1] }, cloud: { id: `c-${name}`, facts: {} } }) as never;
const piece = pieceWith({ scanList: [scan('a', 'registered'), scan('b', 'loose')] });
const drafts: (DraftSurface | undefined)[] = [];
const engine = { showDraft: (d: DraftSurface | undefined) => void drafts.push(d) };
const show = (): void => {
  const given = { piece, engine, shown: 'surface', inputs: {}, extent: [0, 0] } as unknown as OverlayProps;
  render(<PreviewOverlay {...given} />);
};

beforeEach(() => {
  asked.length = drafts.length = ended = 0;
  answer = { mesh, voxel: 1.5 };
  Object.assign(globalThis, { Worker: PromptWorker });
});
afterEach(() => act(() => previewClient.end()));

test('scans with a place are asked for, and what comes is shown in place of the piece until it is closed', async () => {
  show();
  act(() => previewClient.look(piece, { voxel: 0.8, shape: 'calm' }, []));
  expect(asked).toEqual([expect.objectContaining({ voxel: 0.8, shape: 'calm', trust: [] })]);
  expect(asked[0].scans.map((s) => s.name)).toEqual(['a']);
  await waitFor(() => expect(screen.getByRole('status').textContent).toContain('Preview at 1.50 mm'));
  expect(drafts.at(-1)!.parts.bounds).toEqual({ min: [0, 0, 0], max: [10, 10, 0] });
  await userEvent.click(screen.getByRole('button', { name: 'Close' }));
  expect(drafts.at(-1)).toBeUndefined();
  expect(screen.queryByRole('status')).toBeNull();
});

test('what is under way can be cancelled, a newer question ends an older one', async () => {
  answer = null;
  show();
  act(() => previewClient.look(piece, { voxel: 1, shape: 'even' }, []));
  act(() => previewClient.look(piece, { voxel: 2, shape: 'even' }, []));
  expect(ended).toBe(1);
  await userEvent.click(screen.getByRole('button', { name: 'Cancel' }));
  expect(ended).toBe(2);
  expect(previewClient.current()).toMatchObject({ working: false, shown: null });
});

test('a fault is told', async () => {
  answer = { failed: 'No scan has a place.' };
  show();
  act(() => previewClient.look(piece, { voxel: 1, shape: 'even' }, []));
  expect(await screen.findByText('No scan has a place.')).toBeTruthy();
});

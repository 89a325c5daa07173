/** @jest-environment jsdom */
import type { CaptureView } from '@amber-knit/contracts';
import { captureClient as client, type CaptureViewer } from './capture-client';
import type { FromCapture, ToCapture } from './capture-messages';

/** A worker that only notes what it is told; the test speaks for it. */
class SilentWorker {
  static last: SilentWorker;
  readonly told: ToCapture[] = [];
  ended = false;
  onmessage: ((e: { data: FromCapture }) => void) | null = null;

  constructor() {
    SilentWorker.last = this;
  }
  postMessage(m: ToCapture): void {
    this.told.push(m);
  }
  terminate(): void {
    this.ended = true;
  }
}

const capture = { id: 'c1', name: 'Scan 2', setup: 'Upright', nextSequence: 0 } as CaptureView;
const say = (data: FromCapture): void => SilentWorker.last.onmessage!({ data });
let cleared: number;
let remove: () => void;

beforeEach(() => {
  Object.assign(globalThis, { Worker: SilentWorker });
  cleared = 0;
  remove = client.addViewer({ cleared: () => void cleared++, frame: () => undefined } as unknown as CaptureViewer);
  client.connect('hand');
  say({ type: 'connected', device: { id: 'hand' } as never });
});

afterEach(() => {
  remove();
  client.close();
});

test('a capture that is ended stays in sight under its name until the next one begins', async () => {
  client.begin(capture, { trackBy: 'shape' });
  expect(client.current()).toMatchObject({ phase: 'recording', shown: null });
  const frames = client.end();
  say({ type: 'ended', frames: 12 });
  await expect(frames).resolves.toBe(12);
  expect(client.current()).toMatchObject({ phase: 'looking', capture: null, shown: 'Scan 2' });
  expect(cleared).toBe(0);
  client.begin({ ...capture, name: 'Scan 3' }, { trackBy: 'shape' });
  say({ type: 'cleared' });
  expect(client.current().shown).toBeNull();
  expect(cleared).toBe(1);
});

test('one without a frame leaves nothing to show, and neither does another device', () => {
  client.begin(capture, { trackBy: 'shape' });
  void client.end();
  say({ type: 'ended', frames: 0 });
  expect(client.current().shown).toBeNull();
  client.begin(capture, { trackBy: 'shape' });
  void client.end();
  say({ type: 'ended', frames: 3 });
  client.connect('phone');
  expect(client.current()).toMatchObject({ phase: 'connecting', shown: null });
});

test('a device that was left keeps its worker until its frames are stored', () => {
  client.begin(capture, { trackBy: 'shape' });
  say({ type: 'stored', frames: 4, waiting: 2, trouble: null });
  const left = SilentWorker.last;
  client.close();
  expect(left.told.at(-1)).toEqual({ type: 'disconnect' });
  expect(client.current()).toMatchObject({ phase: 'closed', behind: 2 });
  say({ type: 'stored', frames: 5, waiting: 1, trouble: 'The server does not answer.' });
  expect(client.current()).toMatchObject({ behind: 1, storing: 'The server does not answer.' });
  expect(left.ended).toBe(false);
  say({ type: 'stored', frames: 6, waiting: 0, trouble: null });
  expect(left.ended).toBe(true);
  expect(client.current().behind).toBe(0);
});

test('tracking is lost from the first frame that is, and a device that goes closes the capture', () => {
  client.begin(capture, { trackBy: 'shape' });
  const frame = (state: 'tracked' | 'lost'): void =>
    say({ type: 'frame', report: { sequence: 1, state, burnt: 0, missing: 0, rate: 10, kept: 1 } });
  frame('lost');
  const since = client.current().lostSince;
  expect(since).not.toBeNull();
  frame('lost');
  expect(client.current().lostSince).toBe(since);
  frame('tracked');
  expect(client.current().lostSince).toBeNull();
  say({ type: 'trouble', text: 'The scanner went away.', over: true });
  expect(client.current()).toMatchObject({ phase: 'closed', capture: null, trouble: 'The scanner went away.' });
});

import type { CaptureView } from '@amber-knit/contracts';
import type { ClientMessage, DeviceInfo } from '@amber-knit/device-protocol';
import type { SplatPatch } from '@amber-knit/core/tracking';
import type { TrackBy } from '@amber-knit/planning';
import type { FrameReport, FromCapture, Plane, TilePicture, ToCapture } from './capture-messages';
import { deviceSaid, type DeviceSaid } from './device-said';
import { Store } from '../../../shared/store';

/** What the page shows of a capture; the model itself goes to the 3D view directly. */
export interface CaptureState extends DeviceSaid {
  phase: 'closed' | 'connecting' | 'looking' | 'recording' | 'paused' | 'ending';
  device: DeviceInfo | null;
  capture: CaptureView | null;
  report: FrameReport | null;
  /** When tracking was lost, ms of the page's clock; null while it holds. */
  lostSince: number | null;
  stored: number;
  waiting: number;
  /** Name of the capture that was ended last: its model stays in sight until the next one begins. */
  shown: string | null;
  /** Frames on their way from a device that was left already. */
  behind: number;
  /** Why frames are not being stored just now. */
  storing: string | null;
  /** The empty support was shown: it is left out of every stop. */
  emptyLearned: boolean;
  /** Last thing worth saying. */
  said: string;
}

const CLOSED: CaptureState = {
  phase: 'closed',
  device: null,
  settings: null,
  bench: null,
  capture: null,
  report: null,
  lostSince: null,
  stored: 0,
  waiting: 0,
  shown: null,
  behind: 0,
  storing: null,
  emptyLearned: false,
  trouble: null,
  said: '',
};

/** Who draws the live model and the camera pictures. */
export interface CaptureViewer {
  cleared(): void;
  patches(patches: SplatPatch[]): void;
  support(plane: Plane | null, middle: [number, number, number]): void;
  frame(report: FrameReport, color?: TilePicture, sensor?: TilePicture): void;
}

/** Runs the capture worker for the page and keeps what it says in one observable state. */
export class CaptureClient extends Store<CaptureState> {
  private worker?: Worker;
  private readonly viewers = new Set<CaptureViewer>();
  private ended?: (frames: number) => void;

  addViewer(viewer: CaptureViewer): () => void {
    this.viewers.add(viewer);
    return () => this.viewers.delete(viewer);
  }

  connect(deviceId: string): void {
    this.close();
    this.set({ phase: 'connecting' });
    this.worker = new Worker(new URL('./capture.worker.ts', import.meta.url), { type: 'module' });
    this.worker.onmessage = (e: MessageEvent<FromCapture>) => this.receive(e.data);
    this.worker.onerror = (e) => this.set({ trouble: `The capture stopped: ${e.message}. What is stored is kept.` });
    const url = new URL(`/api/devices/${deviceId}`, window.location.href);
    url.protocol = url.protocol.replace('http', 'ws');
    this.post({ type: 'connect', url: url.href });
  }

  /** Leaves the device. Frames that still wait are stored behind the scenes first. */
  close(): void {
    const { worker } = this;
    this.worker = undefined;
    if (worker && this.state.waiting > 0) {
      worker.onmessage = ({ data: m }: MessageEvent<FromCapture>) => {
        if (m.type !== 'stored') return;
        this.set({ behind: m.waiting, storing: m.trouble });
        if (m.waiting === 0) worker.terminate();
      };
      worker.postMessage({ type: 'disconnect' } satisfies ToCapture);
      this.set({ ...CLOSED, behind: this.state.waiting });
    } else {
      worker?.terminate();
      this.set({ ...CLOSED, behind: this.state.behind });
    }
  }

  /** Records into a capture of the server; `held` are the frames that it has already, `stops` those of a turntable. */
  begin(
    capture: CaptureView,
    how: { trackBy: TrackBy; coarse?: boolean; stops?: number; colorViews?: number },
    held?: ArrayBuffer,
  ): void {
    const { id: captureId, nextSequence } = capture;
    const { trackBy, coarse = false, stops = 0, colorViews = 0 } = how;
    this.post({ type: 'begin', captureId, nextSequence, trackBy, coarse, held, stops, colorViews });
    this.set({
      capture,
      phase: 'recording',
      stored: 0,
      storing: null,
      shown: null,
      trouble: null,
      lostSince: null,
      said: 'Recording',
    });
  }

  /** What tracking will lean on, as long as nothing is recorded. */
  lookFor(trackBy: TrackBy): void {
    this.post({ type: 'look-for', trackBy });
  }

  pause(): void {
    this.post({ type: 'pause' });
    this.set({ phase: 'paused', said: 'Paused' });
  }

  resume(): void {
    this.post({ type: 'resume' });
    this.set({ phase: this.state.capture ? 'recording' : 'looking', said: 'Recording' });
  }

  learnEmpty(): void {
    this.post({ type: 'learn-empty' });
  }

  takeBack(seconds: number): void {
    this.post({ type: 'take-back', seconds });
  }

  /** Ends the recording. @returns the number of frames kept, once all are stored */
  end(): Promise<number> {
    this.set({ phase: 'ending' });
    this.post({ type: 'end' });
    return new Promise((resolve) => (this.ended = resolve));
  }

  /** Says something to the device. */
  tell(message: ClientMessage): void {
    this.post({ type: 'device', message });
  }

  private post(message: ToCapture): void {
    this.worker?.postMessage(message);
  }

  private receive(m: FromCapture): void {
    switch (m.type) {
      case 'connected':
        return this.set({ device: m.device, phase: 'looking', trouble: null });
      case 'device':
        return this.set(deviceSaid(m.message));
      case 'frame': {
        const lost = m.report.state === 'lost';
        const lostSince = lost ? (this.state.lostSince ?? performance.now()) : null;
        this.set({ report: m.report, lostSince });
        this.viewers.forEach((v) => v.frame(m.report, m.color, m.sensor));
        return;
      }
      case 'patches':
        return this.viewers.forEach((v) => v.patches(m.patches));
      case 'cleared':
        return this.viewers.forEach((v) => v.cleared());
      case 'support':
        return this.viewers.forEach((v) => v.support(m.plane, m.middle));
      case 'stored':
        return this.set({ stored: m.frames, waiting: m.waiting, storing: m.trouble });
      case 'taken-back':
        return this.set({
          said: `${m.frames} frames taken back`,
          report: this.state.report && { ...this.state.report, ...m.left },
        });
      case 'empty-learned':
        return this.set({ emptyLearned: true });
      case 'said':
        return this.set({ said: m.text });
      case 'ended':
        this.set({
          phase: 'looking',
          capture: null,
          lostSince: null,
          said: '',
          shown: m.frames > 0 ? (this.state.capture?.name ?? null) : null,
        });
        return this.ended?.(m.frames);
      case 'trouble':
        // A device that has gone leaves its capture among the unfinished ones.
        return this.set({ trouble: m.text, ...(m.over ? { phase: 'closed', capture: null, lostSince: null } : {}) });
      case 'device-state':
        return;
    }
  }

  private set(change: Partial<CaptureState>): void {
    this.put({ ...this.state, ...change });
  }
}

/** One capture at a time in a page. */
export const captureClient = new CaptureClient(CLOSED);

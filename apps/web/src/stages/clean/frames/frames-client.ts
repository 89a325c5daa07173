import type { FrameFault } from '@amber-knit/core/frames';
import type { ScanView } from '@amber-knit/contracts';
import type { FrameInfo, FromFrames, ToFrames } from './frames-messages';
import { Store } from '../../../shared/store';

/** What the page knows of the frames of one scan. */
export interface FramesView {
  scanId: string | null;
  frames: readonly FrameInfo[];
  /** Measuring the frames, 0–1; null when all are known. */
  judging: number | null;
  /** Names of the frames that are to be left out: as the scan has it, and as was changed since. */
  dropped: ReadonlySet<string>;
  /** The frame looked at. */
  at: number;
  /** Range of frames that was brushed, first and last. */
  range: readonly [number, number] | null;
  playing: boolean;
  /** The points of the frame looked at, in the scan's frame, once they are there. */
  points: { frame: number; positions: Float32Array } | null;
  /** Whether the scan's points are coloured by their frames. */
  byFrame: boolean;
  /** Level of the colour scale of every stored point, once it is known. */
  levels: Uint8Array | null;
  said: string | null;
}

const CLOSED: FramesView = {
  scanId: null,
  frames: [],
  judging: null,
  dropped: new Set(),
  at: 0,
  range: null,
  playing: false,
  points: null,
  byFrame: false,
  levels: null,
  said: null,
};

/** Frames a second while playing through. */
const PLAYED = 5;
/** Small pictures kept. */
const MOST_PICTURES = 400;

/** Runs the frames' worker and keeps what it says in one observable state. */
export class FramesClient extends Store<FramesView> {
  private worker?: Worker;
  private player?: ReturnType<typeof setInterval>;
  private readonly pictures = new Map<number, ImageBitmap>();
  private readonly asked = new Set<number>();
  private readonly onPicture = new Set<(frame: number) => void>();

  /** Opens the frames of a scan; what was chosen in another is forgotten. */
  open(scan: ScanView): void {
    if (!scan.framesId) return;
    this.close();
    const worker = new Worker(new URL('./frames.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<FromFrames>) => this.heard(data);
    worker.onerror = (e) => this.change({ said: e.message || 'Looking at the frames failed.', judging: null });
    this.worker = worker;
    this.change({ ...CLOSED, scanId: scan.id, judging: 0, dropped: new Set(scan.droppedFrames) });
    this.post({ type: 'open', framesId: scan.framesId });
  }

  close(): void {
    this.pause();
    this.worker?.terminate();
    this.worker = undefined;
    this.pictures.forEach((b) => b.close());
    this.pictures.clear();
    this.asked.clear();
    this.change(CLOSED);
  }

  /** Takes over which frames the scan leaves out, after it was changed. */
  takeOver(dropped: readonly string[]): void {
    this.change({ dropped: new Set(dropped) });
  }

  look(at: number): void {
    const { frames } = this.state;
    if (frames.length === 0) return;
    const frame = Math.max(0, Math.min(frames.length - 1, at));
    this.change({ at: frame });
    this.post({ type: 'points', frame });
  }

  /** Colours the points of the scan by the frame that measured them; `cloudId` holds all of them. */
  colorByFrame(on: boolean, cloudId: string): void {
    this.change({ byFrame: on });
    if (on && !this.state.levels) this.post({ type: 'by-frame', cloudId });
  }

  select(range: readonly [number, number] | null): void {
    this.change({ range });
  }

  /** Leaves frames out, or takes them in again. Nothing is sent yet. */
  drop(frames: readonly number[], out: boolean): void {
    const dropped = new Set(this.state.dropped);
    for (const i of frames) {
      const { name } = this.state.frames[i];
      if (out) dropped.add(name);
      else dropped.delete(name);
    }
    this.change({ dropped });
  }

  play(): void {
    if (this.player) return;
    this.change({ playing: true });
    this.player = setInterval(
      () => this.look((this.state.at + 1) % Math.max(1, this.state.frames.length)),
      1000 / PLAYED,
    );
  }

  pause(): void {
    clearInterval(this.player);
    this.player = undefined;
    if (this.state.playing) this.change({ playing: false });
  }

  /** A small picture, or undefined until it is there; asks for it. */
  picture(frame: number): ImageBitmap | undefined {
    const known = this.pictures.get(frame);
    if (!known && !this.asked.has(frame)) {
      this.asked.add(frame);
      this.post({ type: 'pictures', frames: [frame] });
    }
    return known;
  }

  /** Tells when a small picture has come. @returns ends it */
  whenPictured(listener: (frame: number) => void): () => void {
    this.onPicture.add(listener);
    return () => this.onPicture.delete(listener);
  }

  private post(m: ToFrames): void {
    this.worker?.postMessage(m);
  }

  private heard(m: FromFrames): void {
    if (m.type === 'opened') {
      this.change({ frames: m.names.map((name) => ({ name, faults: [] })) });
      this.look(0);
    } else if (m.type === 'judging') this.change({ judging: m.fraction });
    else if (m.type === 'judged') {
      const frames = this.state.frames.map((f, i) => ({ ...f, quality: m.qualities[i], faults: m.faults[i] }));
      this.change({ frames, judging: null });
    } else if (m.type === 'points') {
      if (m.frame === this.state.at) this.change({ points: { frame: m.frame, positions: m.positions } });
    } else if (m.type === 'by-frame') this.change({ levels: m.levels });
    else if (m.type === 'picture') {
      this.pictures.set(m.frame, m.bitmap);
      if (this.pictures.size > MOST_PICTURES) this.forget(this.pictures.keys().next().value!);
      this.onPicture.forEach((listener) => listener(m.frame));
    } else this.change({ said: m.message, judging: null });
  }

  private forget(frame: number): void {
    this.pictures.get(frame)?.close();
    this.pictures.delete(frame);
    this.asked.delete(frame);
  }

  private change(change: Partial<FramesView>): void {
    this.put({ ...this.state, ...change });
  }
}

export const framesClient = new FramesClient(CLOSED);

/** Frames that something seems wrong with and that are not left out yet. */
export function proposedFrames({ frames, dropped }: FramesView): number[] {
  return frames.flatMap((f, i) => (f.faults.length > 0 && !dropped.has(f.name) ? [i] : []));
}

export const FAULT_WORDS: Record<FrameFault, string> = {
  misaligned: 'out of place',
  blurred: 'blurred',
  empty: 'little measured',
};

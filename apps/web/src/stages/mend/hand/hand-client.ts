import type { HandEdit } from '@amber-knit/core/handwork';
import { Store } from '../../../shared/store';
import type { MovedVertices } from '../../../view/surface-layer';
import type { SurfaceParts } from '../../../view/surface-parts';
import type { FromHand, ToHand } from './hand-messages';
import { keepEdits, keptEdits } from './kept-edits';

export interface HandState {
  meshId: string | null;
  /** The surface as it stands, under an id of its own: another id, other triangles. */
  shown: { id: string; parts: SurfaceParts } | null;
  edits: readonly HandEdit[];
  canRedo: boolean;
  /** What has been asked and not been answered. */
  pending: number;
  failed: string | null;
  notes: readonly string[];
  /** Vertices under the brush, 3n, while a stroke that takes away is drawn. */
  reached: Float32Array | null;
  /** The work has been handed over as a step and is not there yet. */
  sent: boolean;
}

const NOTHING: HandState = {
  meshId: null,
  shown: null,
  edits: [],
  canRedo: false,
  pending: 0,
  failed: null,
  notes: [],
  reached: null,
  sent: false,
};

/** Talks to the worker that holds the surface which is worked on by hand. */
export class HandClient extends Store<HandState> {
  private worker: Worker | null = null;
  private count = 0;
  /** Told of every vertex that moves; the surface that is shown follows. */
  onMoved?: (id: string, moved: MovedVertices) => void;

  /** Begins work on a surface, with what was begun on it before. */
  open(meshId: string): void {
    if (this.state.meshId === meshId) return;
    // The step has been done: what was drawn is part of the new surface.
    if (this.state.sent && this.state.meshId) keepEdits(this.state.meshId, []);
    this.close();
    this.put({ ...NOTHING, meshId });
    this.begin(meshId, keptEdits(meshId));
  }

  ask(m: Exclude<ToHand, { ask: 'open' }>): void {
    if (!this.worker) return;
    this.put({ ...this.state, pending: this.state.pending + 1, failed: null, notes: [] });
    this.worker.postMessage(m);
  }

  /** @returns false if there is nothing to take back or do again */
  step(direction: 'undo' | 'redo'): boolean {
    const { edits, canRedo, pending } = this.state;
    if (direction === 'undo' ? edits.length === 0 : !canRedo) return false;
    if (pending === 0) this.ask({ ask: direction });
    return true;
  }

  /** Takes all edits back for good. */
  discard(): void {
    const { meshId } = this.state;
    if (!meshId) return;
    keepEdits(meshId, []);
    this.stop();
    this.put({ ...NOTHING, meshId });
    this.begin(meshId, []);
  }

  /** The work has been handed over, or could not be. */
  setSent(sent: boolean): void {
    this.put({ ...this.state, sent });
  }

  /** Forgets what a stroke had reached. */
  clearReached(): void {
    if (this.state.reached) this.put({ ...this.state, reached: null });
  }

  close(): void {
    this.stop();
    if (this.state !== NOTHING) this.put(NOTHING);
  }

  private begin(meshId: string, edits: readonly HandEdit[]): void {
    const worker = new Worker(new URL('./hand.worker.ts', import.meta.url), { type: 'module' });
    this.worker = worker;
    worker.onmessage = ({ data }: MessageEvent<FromHand>) => {
      if (this.worker === worker) this.hear(data);
    };
    worker.onerror = () => {
      if (this.worker !== worker) return;
      this.stop();
      this.put({ ...NOTHING, failed: 'The work could not go on. Choose a tool again: what was done is kept.' });
    };
    this.put({ ...this.state, pending: 1 });
    worker.postMessage({ ask: 'open', meshId, edits } satisfies ToHand);
  }

  private hear(m: FromHand): void {
    const { state } = this;
    switch (m.tell) {
      case 'surface':
        return this.put({ ...state, shown: { id: `by hand ${++this.count}`, parts: m.parts } });
      case 'moved':
        if (state.shown) this.onMoved?.(state.shown.id, m.moved);
        return;
      case 'reached':
        return this.put({ ...state, reached: joined(state.reached, m.positions) });
      case 'failed':
        return this.put({ ...state, failed: m.reason });
      case 'done': {
        const { edits, canRedo } = m;
        if (state.meshId && edits.length !== state.edits.length) keepEdits(state.meshId, edits);
        const notes = m.notes.length > 0 ? m.notes : state.notes;
        return this.put({ ...state, edits, canRedo, notes, pending: Math.max(0, state.pending - 1) });
      }
    }
  }

  private stop(): void {
    this.worker?.terminate();
    this.worker = null;
  }
}

function joined(a: Float32Array | null, b: Float32Array): Float32Array {
  if (!a) return b;
  const out = new Float32Array(a.length + b.length);
  out.set(a);
  out.set(b, a.length);
  return out;
}

export const handClient = new HandClient(NOTHING);

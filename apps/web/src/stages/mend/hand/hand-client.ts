import type { HandEdit } from '@amber-knit/core/handwork';
import { NO_WORK, WorkClient, type WorkState } from '../../../shared/hand/work-client';
import type { MovedVertices } from '../../../view/surface-layer';
import type { SurfaceParts } from '../../../view/surface-parts';
import type { FromHand, ToHand } from './hand-messages';
import { keptEdits } from './kept-edits';

export interface HandState extends WorkState<HandEdit> {
  /** The surface as it stands, under an id of its own: another id, other triangles. */
  shown: { id: string; parts: SurfaceParts } | null;
  /** Vertices under the brush, 3n, while a stroke that takes away is drawn. */
  reached: Float32Array | null;
}

/** Talks to the worker that holds the surface which is worked on by hand. */
export class HandClient extends WorkClient<HandEdit, HandState, ToHand, FromHand> {
  private count = 0;
  /** Told of every vertex that moves; the surface that is shown follows. */
  onMoved?: (id: string, moved: MovedVertices) => void;

  constructor() {
    super({ ...NO_WORK, shown: null, reached: null }, keptEdits);
  }

  /** Forgets what a stroke had reached. */
  clearReached(): void {
    if (this.state.reached) this.put({ ...this.state, reached: null });
  }

  protected startWorker(): Worker {
    return new Worker(new URL('./hand.worker.ts', import.meta.url), { type: 'module' });
  }

  protected openWith(surface: string, edits: readonly HandEdit[]): ToHand {
    return { ask: 'open', surface, edits };
  }

  protected hearOwn(m: FromHand): void {
    const { state } = this;
    if (m.tell === 'surface') this.put({ ...state, shown: { id: `by hand ${++this.count}`, parts: m.parts } });
    else if (m.tell === 'moved' && state.shown) this.onMoved?.(state.shown.id, m.moved);
    else if (m.tell === 'reached') this.put({ ...state, reached: joined(state.reached, m.positions) });
  }
}

function joined(a: Float32Array | null, b: Float32Array): Float32Array {
  if (!a) return b;
  const out = new Float32Array(a.length + b.length);
  out.set(a);
  out.set(b, a.length);
  return out;
}

export const handClient = new HandClient();

import { Store } from '../../../shared/store';
import { drawnRims, type FoundHole } from './hole-words';
import type { FromHoles } from './holes.worker';

export interface HolesState {
  /** The surface that they were looked for on. */
  meshId: string | null;
  found: readonly FoundHole[] | null;
  failed: string | null;
  chosen: ReadonlySet<number>;
  /** Points to draw: the rims of the chosen, or of all while none is. */
  points: Float32Array | null;
}

const NOTHING: HolesState = { meshId: null, found: null, failed: null, chosen: new Set(), points: null };
/** Points of a drawn rim are so many mm apart at most. */
const DRAWN_STEP = 0.4;

/** Asks a worker for the holes of a surface, and holds them and which of them are chosen. */
class HolesClient extends Store<HolesState> {
  private worker: Worker | null = null;

  look(meshId: string): void {
    if (this.state.meshId === meshId) return;
    this.clear();
    this.put({ ...NOTHING, meshId });
    const worker = new Worker(new URL('./holes.worker.ts', import.meta.url), { type: 'module' });
    this.worker = worker;
    const done = (answer: FromHoles): void => {
      this.stop();
      if ('failed' in answer) this.put({ ...this.state, failed: answer.failed });
      else this.show({ ...this.state, found: answer.found });
    };
    worker.onmessage = ({ data }: MessageEvent<FromHoles>) => done(data);
    worker.onerror = () => done({ failed: 'The holes could not be listed. Reload the page.' });
    worker.postMessage(meshId);
  }

  choose(chosen: ReadonlySet<number>): void {
    this.show({ ...this.state, chosen });
  }

  toggle(at: number): void {
    const chosen = new Set(this.state.chosen);
    if (!chosen.delete(at)) chosen.add(at);
    this.choose(chosen);
  }

  clear(): void {
    this.stop();
    if (this.state !== NOTHING) this.put(NOTHING);
  }

  private show(state: HolesState): void {
    const drawn = state.found?.filter((_, i) => state.chosen.size === 0 || state.chosen.has(i)) ?? [];
    this.put({ ...state, points: drawn.length > 0 ? drawnRims(drawn, DRAWN_STEP) : null });
  }

  private stop(): void {
    this.worker?.terminate();
    this.worker = null;
  }
}

export const holesClient = new HolesClient(NOTHING);

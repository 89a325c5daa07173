import { Store } from '../store';
import type { KeptEdits } from './kept-edits';

/** What is known of a piece of work by hand on one surface. */
export interface WorkState<E> {
  /** The surface that is worked on: an artifact. */
  surface: string | null;
  edits: readonly E[];
  canRedo: boolean;
  /** What has been asked and not been answered. */
  pending: number;
  failed: string | null;
  notes: readonly string[];
  /** The work has been handed over as a step and is not there yet. */
  sent: boolean;
}

export const NO_WORK: WorkState<never> = {
  surface: null,
  edits: [],
  canRedo: false,
  pending: 0,
  failed: null,
  notes: [],
  sent: false,
};

/** What every worker that holds a surface understands, and what it answers. */
export type ToWork<E> = { ask: 'open'; surface: string; edits: readonly E[] } | { ask: 'undo' } | { ask: 'redo' };
export type FromWork<E> =
  | { tell: 'failed'; reason: string }
  | { tell: 'done'; edits: readonly E[]; canRedo: boolean; notes: readonly string[] };

/**
 * Talks to a worker that holds a surface which is worked on by hand. Edits that are no step yet outlive worker and page.
 * @typeParam To what the worker is asked, @typeParam From what it tells
 */
export abstract class WorkClient<
  E,
  S extends WorkState<E>,
  To extends { ask: string },
  From extends { tell: string },
> extends Store<S> {
  private worker: Worker | null = null;

  constructor(
    private readonly nothing: S,
    private readonly kept: KeptEdits<E>,
  ) {
    super(nothing);
  }

  /** Begins work on a surface, with what was begun on it before. */
  open(surface: string): void {
    if (this.state.surface === surface) return;
    // The step has been done: what was drawn is part of the new surface.
    if (this.state.sent && this.state.surface) this.kept.keep(this.state.surface, []);
    this.close();
    this.put({ ...this.nothing, surface });
    this.begin(surface, this.kept.of(surface));
  }

  ask(m: To): void {
    if (!this.worker) return;
    this.put({ ...this.state, pending: this.state.pending + 1, failed: null, notes: [] });
    this.worker.postMessage(m);
  }

  /** @returns false if there is nothing to take back or do again */
  step(direction: 'undo' | 'redo'): boolean {
    const { edits, canRedo, pending } = this.state;
    if (direction === 'undo' ? edits.length === 0 : !canRedo) return false;
    if (pending === 0) this.ask({ ask: direction } as unknown as To);
    return true;
  }

  /** Takes all edits back for good. */
  discard(): void {
    const { surface } = this.state;
    if (!surface) return;
    this.kept.keep(surface, []);
    this.stop();
    this.put({ ...this.nothing, surface });
    this.begin(surface, []);
  }

  /** The work has been handed over, or could not be. */
  setSent(sent: boolean): void {
    this.put({ ...this.state, sent });
  }

  close(): void {
    this.stop();
    if (this.state !== this.nothing) this.put(this.nothing);
  }

  protected abstract startWorker(): Worker;
  /** What the worker is told to begin with. */
  protected abstract openWith(surface: string, edits: readonly E[]): To;
  /** Everything but failures and what is done. */
  protected abstract hearOwn(m: From): void;

  private begin(surface: string, edits: readonly E[]): void {
    const worker = this.startWorker();
    this.worker = worker;
    worker.onmessage = ({ data }: MessageEvent<From | FromWork<E>>) => {
      if (this.worker === worker) this.hear(data);
    };
    worker.onerror = () => {
      if (this.worker !== worker) return;
      this.stop();
      this.put({ ...this.nothing, failed: 'The work could not go on. Choose a tool again: what was done is kept.' });
    };
    this.put({ ...this.state, pending: 1 });
    worker.postMessage(this.openWith(surface, edits));
  }

  private hear(m: From | FromWork<E>): void {
    const { state } = this;
    if (m.tell === 'failed') this.put({ ...state, failed: (m as { reason: string }).reason });
    else if (m.tell === 'done') {
      const { edits, canRedo, notes } = m as Extract<FromWork<E>, { tell: 'done' }>;
      if (state.surface && edits.length !== state.edits.length) this.kept.keep(state.surface, edits);
      this.put({
        ...state,
        edits,
        canRedo,
        notes: notes.length > 0 ? notes : state.notes,
        pending: Math.max(0, state.pending - 1),
      });
    } else this.hearOwn(m as From);
  }

  private stop(): void {
    this.worker?.terminate();
    this.worker = null;
  }
}

import type { ThicknessMethod, WallMap } from '@amber-knit/core/measure';
import { AskingWorker } from '../../../shared/asking-worker';
import { Store } from '../../../shared/store';
import type { FromWalls, ToWalls } from './walls.worker';

/** What is wanted of walls: how thin they may be, mm, and how they are measured. */
export interface WallTerms {
  least: number;
  method: ThicknessMethod;
}

export interface WallsState {
  terms: WallTerms;
  /** The walls of a surface, and what was wanted of them; null where none were measured. */
  found: { meshId: string; terms: WallTerms; map: WallMap } | null;
  busy: boolean;
  failed: string | null;
  /** Shown on the surface. */
  shown: boolean;
}

const NOTHING: WallsState = {
  terms: { least: 1.2, method: 'ray' },
  found: null,
  busy: false,
  failed: null,
  shown: true,
};

/** Measures the walls of the surface in a worker and holds them for as long as they are looked at. */
export class WallsDesk extends Store<WallsState> {
  /** Of the newest look; what an older one brings is let go. */
  private look = 0;

  constructor(
    private readonly worker: Pick<AskingWorker<ToWalls, FromWalls>, 'ask' | 'end'> = new AskingWorker(
      () => new Worker(new URL('./walls.worker.ts', import.meta.url), { type: 'module' }),
      { failed: 'The browser could not measure the walls. Reload the page.' },
    ),
  ) {
    super(NOTHING);
  }

  set(change: Partial<WallTerms>): void {
    this.put({ ...this.state, terms: { ...this.state.terms, ...change } });
  }

  /** Measures the walls of a surface. Of several asked for the newest counts. */
  async measure(meshId: string): Promise<void> {
    const { terms } = this.state;
    const look = ++this.look;
    this.put({ ...this.state, busy: true, failed: null });
    const answer = await this.worker.ask({ meshId, ...terms });
    if (look !== this.look) return;
    if ('failed' in answer) this.put({ ...this.state, busy: false, failed: answer.failed });
    else this.put({ ...this.state, busy: false, shown: true, found: { meshId, terms, map: answer.map } });
  }

  /** Stops what is being measured. */
  cancel(): void {
    this.look++;
    this.worker.end();
    this.put({ ...this.state, busy: false });
  }

  show(shown: boolean): void {
    this.put({ ...this.state, shown });
  }

  /** Lets the walls go. */
  clear(): void {
    this.put({ ...this.state, found: null, failed: null });
  }
}

export const wallsDesk = new WallsDesk();

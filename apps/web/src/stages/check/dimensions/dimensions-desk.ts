import type { Dimension, DimensionKind, DimensionSheet, MeasuredDimension } from '@amber-knit/core/dimensions';
import { AskingWorker } from '../../../shared/asking-worker';
import { Store } from '../../../shared/store';
import type { FromDimensions, ToDimensions } from './dimensions.worker';
import { freshName } from './dimension-words';
import { RESTING, withdrawn, withKind, withPlace, type Asked, type DimensionTool } from './dimension-tool';

/** A dimension as it is listed: what was asked, and what was found of it so far. */
export interface DimensionRow {
  asked: Dimension;
  found?: MeasuredDimension;
}

export interface DimensionsState {
  tool: DimensionTool;
  /** What shall be kept and is not yet on the server; null if all is. */
  wanted: Dimension[] | null;
  /** Measured in the browser, by what was asked on which surface. */
  seen: ReadonlyMap<string, MeasuredDimension>;
  selected: number | null;
  failed: string | null;
}

const NOTHING: DimensionsState = { tool: RESTING, wanted: null, seen: new Map(), selected: null, failed: null };

/** Names, notes and what should be change nothing of what is measured. */
const keyOf = (meshId: string, { name: _n, note: _m, nominal: _s, ...asked }: Dimension): string =>
  meshId + JSON.stringify(asked);

/**
 * Picks dimensions and measures them at once in a worker; the sheet as a whole then goes to the server as a step, which
 * measures it again for the record.
 */
export class DimensionsDesk extends Store<DimensionsState> {
  private readonly worker = new AskingWorker<ToDimensions, FromDimensions>(
    () => new Worker(new URL('./dimensions.worker.ts', import.meta.url), { type: 'module' }),
    { failed: 'The browser could not measure this. Reload the page.' },
  );

  constructor() {
    super(NOTHING);
  }

  set(change: Partial<Pick<DimensionTool, 'shape' | 'direction'>>): void {
    this.put({ ...this.state, tool: { ...this.state.tool, ...change } });
  }

  choose(kind: DimensionKind | null, meshId: string, kept: readonly Dimension[]): void {
    this.take(withKind(this.state.tool, kind), meshId, kept);
  }

  pick(place: [number, number, number], meshId: string, kept: readonly Dimension[]): void {
    this.take(withPlace(this.state.tool, place), meshId, kept);
  }

  cancel(): void {
    this.put({ ...this.state, tool: withdrawn(this.state.tool) });
  }

  select(at: number | null): void {
    this.put({ ...this.state, selected: at });
  }

  /** Puts another dimension in the place of one. */
  change(at: number, change: Partial<Dimension>, meshId: string, kept: readonly Dimension[]): void {
    const wanted = (this.state.wanted ?? kept).map((d, i) => (i === at ? { ...d, ...change } : d));
    this.put({ ...this.state, wanted });
    void this.measure(wanted[at], meshId);
  }

  remove(at: number, kept: readonly Dimension[]): void {
    const wanted = (this.state.wanted ?? kept).filter((_, i) => i !== at);
    this.put({ ...this.state, wanted, selected: null });
  }

  /** The server's sheet has come: what it holds is no longer wanted. */
  settled(sheet: DimensionSheet | undefined): void {
    if (this.state.wanted && JSON.stringify(this.state.wanted) === JSON.stringify(sheet?.asked ?? []))
      this.put({ ...this.state, wanted: null });
  }

  /** What could not be kept is let go; the list shows again what the server has. */
  refused(): void {
    this.put({ ...this.state, wanted: null });
  }

  /** The list as it stands: what is wanted before what the server has. */
  rows(meshId: string, sheet: DimensionSheet | undefined, fresh: boolean): DimensionRow[] {
    const { wanted, seen } = this.state;
    const kept = new Map(sheet?.asked.map((a, i) => [keyOf(meshId, a), sheet.found[i]]));
    return (wanted ?? sheet?.asked ?? []).map((asked) => {
      const key = keyOf(meshId, asked);
      // What the server measured on an older surface is shown only while there is nothing newer.
      const found = fresh ? (kept.get(key) ?? seen.get(key)) : (seen.get(key) ?? kept.get(key));
      return { asked, found };
    });
  }

  /** The outlines of a section as a drawing. */
  async drawing(format: 'svg' | 'dxf', section: Dimension, meshId: string): Promise<Uint8Array> {
    const answer = await this.worker.ask({ meshId, section, format });
    if (!('drawing' in answer)) throw new Error('failed' in answer ? answer.failed : 'The section could not be drawn.');
    return answer.drawing;
  }

  clear(): void {
    this.worker.end();
    if (this.state !== NOTHING) this.put(NOTHING);
  }

  private take(
    { tool, asked }: { tool: DimensionTool; asked?: Asked },
    meshId: string,
    kept: readonly Dimension[],
  ): void {
    if (!asked) return this.put({ ...this.state, tool });
    const before = this.state.wanted ?? kept;
    const made: Dimension = { name: freshName(asked.kind, before), note: '', ...asked };
    this.put({ ...this.state, tool, wanted: [...before, made], selected: before.length });
    void this.measure(made, meshId);
  }

  private async measure(dimension: Dimension, meshId: string): Promise<void> {
    const key = keyOf(meshId, dimension);
    // The comparison is the server's: it reads from it.
    if (dimension.kind === 'off' || this.state.seen.has(key)) return;
    const answer = await this.worker.ask({ meshId, dimension });
    if ('found' in answer) this.put({ ...this.state, seen: new Map([...this.state.seen, [key, answer.found]]) });
    else if ('failed' in answer) this.put({ ...this.state, failed: answer.failed });
  }
}

export const dimensionsDesk = new DimensionsDesk();

import type { PieceView } from '@amber-knit/contracts';
import type { Touch } from '@amber-knit/core/retouching';
import { NO_WORK, WorkClient, type WorkState } from '../../../shared/hand/work-client';
import type { MapTile } from '../../../view/surface-maps';
import { keptTouches } from './kept-touches';
import { pictureScans, type PictureScan } from '../picture-frames';
import type { FromRetouch, ToRetouch } from './retouch-messages';

export interface RetouchState extends WorkState<Touch> {
  /** The map as it is before any stroke. */
  opened: { png: Uint8Array; size: number; bounds: { min: number[]; max: number[] } } | null;
  /** Names of the pictures of each scan that was asked for. */
  frames: Readonly<Record<string, readonly string[]>>;
}

/** Talks to the worker that holds the map which is worked on by hand. */
export class RetouchClient extends WorkClient<Touch, RetouchState, ToRetouch, FromRetouch> {
  private scans: readonly PictureScan[] = [];
  private readonly watchers = new Set<(surface: string, tiles: readonly MapTile[]) => void>();
  /** Everything that has changed so far, by its tile: whoever comes late is shown it too. */
  private tiles = new Map<string, MapTile>();

  constructor() {
    super({ ...NO_WORK, opened: null, frames: {} }, keptTouches);
  }

  /** The scans whose pictures can be taken; told before work begins. */
  know(piece: Pick<PieceView, 'scanList'>): void {
    this.scans = pictureScans(piece);
  }

  get pictureScans(): readonly PictureScan[] {
    return this.scans;
  }

  /** Is told of every part of the map that looks different, and of all that did before. @returns how to end that */
  watchTiles(watcher: (surface: string, tiles: readonly MapTile[]) => void): () => void {
    this.watchers.add(watcher);
    if (this.state.surface && this.tiles.size > 0) watcher(this.state.surface, [...this.tiles.values()]);
    return () => void this.watchers.delete(watcher);
  }

  protected startWorker(): Worker {
    this.tiles = new Map();
    return new Worker(new URL('./retouch.worker.ts', import.meta.url), { type: 'module' });
  }

  protected openWith(surface: string, edits: readonly Touch[]): ToRetouch {
    return { ask: 'open', surface, edits, scans: this.scans };
  }

  protected hearOwn(m: FromRetouch): void {
    const { state } = this;
    if (m.tell === 'opened') this.put({ ...state, opened: { png: m.png, size: m.size, bounds: m.bounds } });
    else if (m.tell === 'frames') this.put({ ...state, frames: { ...state.frames, [m.scan]: m.names } });
    else if (m.tell === 'tiles' && state.surface) {
      for (const tile of m.tiles) this.tiles.set(`${tile.x},${tile.y}`, tile);
      for (const watcher of this.watchers) watcher(state.surface, m.tiles);
    }
  }
}

export const retouchClient = new RetouchClient();

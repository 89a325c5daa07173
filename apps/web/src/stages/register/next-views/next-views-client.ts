import type { PieceView } from '@amber-knit/contracts';
import type { NextView, NextViews } from '@amber-knit/core/next-views';
import { cloudSource } from '../../../view/load-artifact';
import { hasPlace } from '../../../view/piece-content';
import { drawnSegments, ghostScanner } from './ghost-scanner';
import type { FromNextViews, Reach, ToNextViews } from './next-views.worker';
import { Store } from '../../../shared/store';

/** The scanner that places are looked for with: what it reaches, and its angles of view, where they are known. */
export interface Scanner {
  reach: Reach;
  view?: { horizontal: number; vertical: number };
}

/** What was found for a piece, and which of the places is shown. */
export interface NextViewsState {
  /** The placements that it was found for. */
  for: string | null;
  found: NextViews | null;
  /** 0–1 while it is looked for. */
  progress: number | null;
  failed: string | null;
  shown: number | null;
  /** Points to draw: what the place shown would see, outlined, and the scanner there. */
  points: Float32Array | null;
}

const NOTHING: NextViewsState = { for: null, found: null, progress: null, failed: null, shown: null, points: null };

/** Asks a worker where to scan next, and holds the answer for the panel and the view. */
class NextViewsClient extends Store<NextViewsState> {
  private worker: Worker | null = null;
  private scanner: Scanner | null = null;

  look(piece: PieceView, scanner: Scanner): void {
    this.clear();
    this.scanner = scanner;
    const worker = new Worker(new URL('./next-views.worker.ts', import.meta.url), { type: 'module' });
    this.worker = worker;
    this.change({ ...NOTHING, for: keyOf(piece), progress: 0 });
    worker.onmessage = ({ data }: MessageEvent<FromNextViews>) => {
      if ('progress' in data) return this.change({ ...this.state, progress: data.progress });
      this.stop();
      if ('failed' in data) return this.change({ ...this.state, progress: null, failed: data.failed });
      this.change({ ...this.state, progress: null, found: data.found });
      if (data.found.views.length > 0) this.show(0);
    };
    worker.onerror = () => {
      this.stop();
      this.change({ ...this.state, progress: null, failed: 'It could not be worked out. Try again.' });
    };
    const scans = piece.scanList.filter(hasPlace).map((s) => ({
      name: s.name,
      setup: s.setup,
      source: cloudSource(s),
      pieceFromScan: s.placement.pieceFromScan,
    }));
    worker.postMessage({ scans, reach: scanner.reach } satisfies ToNextViews);
  }

  /** Shows one of the places in the view; null none. */
  show(at: number | null): void {
    const view = at === null ? undefined : this.state.found?.views[at];
    this.change({ ...this.state, shown: view ? at : null, points: view ? pointsFor(view, this.scanner?.view) : null });
  }

  clear(): void {
    this.stop();
    if (this.state !== NOTHING) this.change(NOTHING);
  }

  private stop(): void {
    this.worker?.terminate();
    this.worker = null;
  }

  private change(state: NextViewsState): void {
    this.put(state);
  }
}

/** What an answer belongs to: a piece with its placements. */
export const keyOf = (piece: PieceView): string => `${piece.id} ${piece.placements?.id ?? ''}`;

/** The outlines of what a place would show, a few points within them, and the scanner there. */
function pointsFor(view: NextView, angles: Scanner['view']): Float32Array {
  const within = view.sees.filter((_, i) => Math.floor(i / 3) % 4 === 0);
  const parts = [drawnSegments(view.outline), within, ghostScanner(view.eye, view.target, angles)];
  const out = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

export const nextViewsClient = new NextViewsClient(NOTHING);

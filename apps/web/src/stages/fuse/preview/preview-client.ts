import type { PieceView } from '@amber-knit/contracts';
import { boundsOf } from '@amber-knit/core/geometry';
import type { SurfaceShape, TrustRegion } from '@amber-knit/core/fusion';
import { Store } from '../../../shared/store';
import { cloudSource } from '../../../view/load-artifact';
import { hasPlace } from '../../../view/piece-content';
import type { SurfaceParts } from '../../../view/surface-parts';
import type { AskPreview, FromPreview } from './preview.worker';

export interface PreviewState {
  working: boolean;
  /** What is shown in place of the piece: each preview has an id of its own. */
  shown: { id: string; parts: SurfaceParts; voxel: number; seconds: number } | null;
  failed: string | null;
}

const NOTHING: PreviewState = { working: false, shown: null, failed: null };

/** Asks a worker for a coarse surface; a newer question ends the older one. */
class PreviewClient extends Store<PreviewState> {
  private worker: Worker | null = null;
  private count = 0;

  look(piece: PieceView, params: Record<string, unknown>, trust: readonly TrustRegion[]): void {
    // A worker that computes can't be told otherwise.
    if (this.state.working) this.stop();
    this.worker ??= new Worker(new URL('./preview.worker.ts', import.meta.url), { type: 'module' });
    const { worker } = this;
    const started = performance.now();
    this.put({ ...this.state, working: true, failed: null });
    worker.onmessage = ({ data }: MessageEvent<FromPreview>) => {
      if ('failed' in data) return this.put({ ...NOTHING, failed: data.failed });
      const { mesh, voxel } = data;
      const seconds = (performance.now() - started) / 1000;
      const shown = {
        id: `preview ${++this.count}`,
        parts: { ...mesh, bounds: boundsOf(mesh.positions) },
        voxel,
        seconds,
      };
      this.put({ working: false, failed: null, shown });
    };
    worker.onerror = () => {
      this.stop();
      this.put({ ...NOTHING, failed: 'The preview could not be made. Try again.' });
    };
    worker.postMessage({
      scans: piece.scanList.filter(hasPlace).map((s) => ({
        name: s.name,
        source: cloudSource(s),
        pieceFromScan: s.placement.pieceFromScan,
      })),
      voxel: Number(params.voxel) || 0,
      shape: params.shape as SurfaceShape,
      trust,
    } satisfies AskPreview);
  }

  /** Shows the piece again. */
  end(): void {
    if (this.state.working) this.stop();
    if (this.state !== NOTHING) this.put(NOTHING);
  }

  private stop(): void {
    this.worker?.terminate();
    this.worker = null;
  }
}

export const previewClient = new PreviewClient(NOTHING);

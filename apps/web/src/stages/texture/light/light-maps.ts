import type { BakedKind, FailedPlace } from '@amber-knit/core/geometry';
import { Store } from '../../../shared/store';
import { streamSurface } from '../../../view/surface-parts';

/** A map as a picture that the page can show. */
export interface ShownMap {
  kind: BakedKind | 'color';
  url: string;
  /** What its lowest and its highest number stand for, where it says. */
  range?: [number, number];
}

export interface LightMapsState {
  /** The light model that is looked at; null before any. */
  artifact: string | null;
  maps: ShownMap[];
  failed: FailedPlace[];
  refused: string | null;
}

const NOTHING: LightMapsState = { artifact: null, maps: [], failed: [], refused: null };

/** The maps of the piece's light model as pictures, and the places where detail was lost. */
export class LightMaps extends Store<LightMapsState> {
  private abort?: AbortController;

  constructor(private readonly stream: typeof streamSurface = streamSurface) {
    super(NOTHING);
  }

  /** Looks at this light model, or at none. */
  look(artifact: string | null): void {
    if (artifact === this.state.artifact) return;
    this.abort?.abort();
    this.state.maps.forEach((m) => URL.revokeObjectURL(m.url));
    this.put({ ...NOTHING, artifact });
    if (artifact) void this.load(artifact);
  }

  private async load(artifact: string): Promise<void> {
    const abort = new AbortController();
    this.abort = abort;
    try {
      const parts = await this.stream(artifact, abort.signal, () => undefined);
      const urlOf = (png: Uint8Array): string =>
        URL.createObjectURL(new Blob([png as Uint8Array<ArrayBuffer>], { type: 'image/png' }));
      const kinds = Object.entries(parts.maps ?? {}) as [BakedKind, Uint8Array][];
      this.put({
        artifact,
        maps: [
          ...(parts.png ? [{ kind: 'color' as const, url: urlOf(parts.png) }] : []),
          ...kinds.map(([kind, png]): ShownMap => ({ kind, url: urlOf(png), range: parts.ranges?.[kind] })),
        ],
        failed: parts.failed ?? [],
        refused: null,
      });
    } catch (e) {
      if (!abort.signal.aborted) this.put({ ...NOTHING, artifact, refused: (e as Error).message });
    }
  }
}

export const lightMaps = new LightMaps();

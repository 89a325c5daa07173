import { Store } from '../../../shared/store';

/** What a worker answers to the surface it was given. */
export type FoundPlaces<T> = { found: T[] } | { failed: string };

export interface PlacesState<T> {
  /** The surface that they were looked for on. */
  meshId: string | null;
  found: readonly T[] | null;
  failed: string | null;
  /** Places in the list. */
  chosen: ReadonlySet<number>;
  /** Points to draw: those of the chosen, or of all while none is. */
  points: Float32Array | null;
}

/** Asks a worker for places of a surface, such as its holes, and holds them and which of them are chosen. */
export class PlacesClient<T> extends Store<PlacesState<T>> {
  private worker: Worker | null = null;

  /**
   * @param makeWorker makes a worker that takes the mesh's id and answers `FoundPlaces` @param draw points of some of them
   * @param lost what is said if the worker comes to grief
   */
  constructor(
    private readonly makeWorker: () => Worker,
    private readonly draw: (places: readonly T[]) => Float32Array,
    private readonly lost: string,
  ) {
    super({ meshId: null, found: null, failed: null, chosen: new Set(), points: null });
  }

  look(meshId: string): void {
    if (this.state.meshId === meshId) return;
    this.clear();
    this.put({ ...this.state, meshId });
    const worker = this.makeWorker();
    this.worker = worker;
    const done = (answer: FoundPlaces<T>): void => {
      this.stop();
      if ('failed' in answer) this.put({ ...this.state, failed: answer.failed });
      else this.show({ ...this.state, found: answer.found });
    };
    worker.onmessage = ({ data }: MessageEvent<FoundPlaces<T>>) => done(data);
    worker.onerror = () => done({ failed: this.lost });
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
    if (this.state.meshId) this.put({ meshId: null, found: null, failed: null, chosen: new Set(), points: null });
  }

  private show(state: PlacesState<T>): void {
    const drawn = state.found?.filter((_, i) => state.chosen.size === 0 || state.chosen.has(i)) ?? [];
    this.put({ ...state, points: drawn.length > 0 ? this.draw(drawn) : null });
  }

  private stop(): void {
    this.worker?.terminate();
    this.worker = null;
  }
}

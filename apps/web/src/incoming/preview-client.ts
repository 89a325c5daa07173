import { Store } from '../shared/store';
import type { FromPreview, ToPreview } from './preview.worker';

/** Points of a file that is on its way in, as the file has them. */
export interface Preview {
  key: string;
  name: string;
  positions: Float32Array;
  colors?: Uint8Array;
}

/** Kinds that one pass over the file reads. */
const READABLE = /\.(ply|pcd|stl|off|obj)$/i;
/** Larger files are shown once they are stored. */
const LARGEST = 600e6;
const MOST_POINTS = 400_000;

/** Shows files while they are still being sent and stored: the newest that could be read. */
export class PreviewClient extends Store<Preview | undefined> {
  private shown: readonly Preview[] = [];
  private readonly workers = new Map<string, Worker>();

  /** Begins to read a file. One at a time: others that come meanwhile are shown once they are stored. */
  begin(key: string, file: File): void {
    if (this.workers.size > 0 || !READABLE.test(file.name) || file.size > LARGEST) return;
    const worker = new Worker(new URL('./preview.worker.ts', import.meta.url), { type: 'module' });
    this.workers.set(key, worker);
    worker.onmessage = ({ data }: MessageEvent<FromPreview>) => {
      this.stop(key);
      // What is wrong with a file is said by the server, which knows more of it.
      if (!('failed' in data)) this.change([...this.shown, { key, name: file.name, ...data }]);
    };
    worker.onerror = () => this.stop(key);
    worker.postMessage({ file, most: MOST_POINTS } satisfies ToPreview);
  }

  /** Takes a file's points away: they are stored, or will not be. */
  end(key: string): void {
    this.stop(key);
    if (this.shown.some((p) => p.key === key)) this.change(this.shown.filter((p) => p.key !== key));
  }

  /** Takes all away: another piece is looked at. */
  clear(): void {
    [...this.workers.keys()].forEach((key) => this.stop(key));
    if (this.shown.length > 0) this.change([]);
  }

  private stop(key: string): void {
    this.workers.get(key)?.terminate();
    this.workers.delete(key);
  }

  private change(shown: readonly Preview[]): void {
    this.shown = shown;
    this.put(shown[shown.length - 1]);
  }
}

export const previewClient = new PreviewClient(undefined);

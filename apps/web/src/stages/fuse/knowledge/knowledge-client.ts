import { Store } from '../../../shared/store';
import type { AskKnowledge, FromKnowledge, Knowledge } from './knowledge.worker';
import type { QualityId } from './qualities';

export interface KnowledgeState {
  meshId: string | null;
  quality: QualityId;
  /** What is asked for; undefined: what the values suggest. */
  limit: number | undefined;
  found: Knowledge | null;
  /** The surface does not know this of itself. */
  unknown: boolean;
  failed: string | null;
  /** Painted on the surface. */
  shown: boolean;
}

const NOTHING: KnowledgeState = {
  meshId: null,
  quality: 'error',
  limit: undefined,
  found: null,
  unknown: false,
  failed: null,
  shown: false,
};

/** Asks a worker what a surface knows of how it was measured; the newest question is the one that counts. */
class KnowledgeClient extends Store<KnowledgeState> {
  private worker: Worker | null = null;

  look(meshId: string): void {
    if (this.state.meshId === meshId) return;
    this.clear();
    this.put({ ...NOTHING, quality: this.state.quality, meshId });
  }

  show(shown: boolean): void {
    this.put({ ...this.state, shown });
    if (shown && !this.state.found) this.ask();
  }

  choose(quality: QualityId): void {
    this.put({ ...this.state, quality, limit: undefined, found: null, unknown: false, shown: true });
    this.ask();
  }

  setLimit(limit: number): void {
    this.put({ ...this.state, limit });
    this.ask();
  }

  clear(): void {
    this.worker?.terminate();
    this.worker = null;
    if (this.state.meshId !== null) this.put({ ...NOTHING, quality: this.state.quality });
  }

  private ask(): void {
    const { meshId, quality, limit } = this.state;
    if (!meshId) return;
    this.worker ??= this.start();
    this.worker.postMessage({ meshId, quality, limit } satisfies AskKnowledge);
  }

  private start(): Worker {
    const worker = new Worker(new URL('./knowledge.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<FromKnowledge>) => {
      if ('failed' in data) return this.put({ ...this.state, failed: data.failed });
      const { meshId, quality, limit } = this.state;
      const isNewest = data.for.meshId === meshId && data.for.quality === quality && data.for.limit === limit;
      if (isNewest) this.put({ ...this.state, found: data.found, unknown: data.found === null, failed: null });
    };
    worker.onerror = () =>
      this.put({ ...this.state, failed: 'The surface could not be looked through. Reload the page.' });
    return worker;
  }
}

export const knowledgeClient = new KnowledgeClient(NOTHING);

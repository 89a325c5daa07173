import type { FromSnap, ToSnap } from './snap.worker';

type Snapped = NonNullable<FromSnap['snapped']>;

/** Asks a worker where a scan snaps to; while it is at work only the newest question waits. */
export class SnapClient {
  private readonly worker = new Worker(new URL('./snap.worker.ts', import.meta.url), { type: 'module' });
  private asked = 0;
  private busy = false;
  private waiting?: Float64Array;

  /** @param answered told the answer to the newest question, or null where nothing is near */
  constructor(
    scans: Omit<Extract<ToSnap, { type: 'scans' }>, 'type'>,
    private readonly answered: (snapped: Snapped | null) => void,
  ) {
    this.worker.onmessage = ({ data }: MessageEvent<FromSnap>) => {
      this.busy = false;
      if (this.waiting) this.ask(this.waiting);
      else if (data.number === this.asked) this.answered(data.snapped);
    };
    this.worker.postMessage({ type: 'scans', ...scans } satisfies ToSnap);
  }

  ask(pieceFromScan: Float64Array): void {
    if (this.busy) {
      this.waiting = pieceFromScan;
      return;
    }
    this.waiting = undefined;
    this.busy = true;
    this.worker.postMessage({ type: 'held', number: ++this.asked, pieceFromScan } satisfies ToSnap);
  }

  dispose(): void {
    this.worker.terminate();
  }
}

import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { PieceView } from '@amber-knit/contracts';
import { BitSet } from '@amber-knit/core/geometry';
import type { SelectionJoin } from '@amber-knit/core/selection';
import { contentOf } from '../view/piece-content';
import type { ViewSettings } from '../app/view-slice';
import type { SectionSlab } from '../view/section';
import { uploadScan } from '../api/upload-scan';
import type {
  FromSelection,
  Measure,
  MeasureSpread,
  SelectionState,
  Selector,
  ShownScan,
  ToSelection,
} from './selection-messages';
import { Store } from '../shared/store';

/** What the page knows of the selection. */
export interface SelectionView extends SelectionState {
  /** Reading the scans' points, 0–1; null when they are all there. */
  loading: number | null;
  busy: boolean;
  spread: MeasureSpread | null;
  /** What the last attempt led to, if nothing was done. */
  said: string | null;
  /** A cut is on its way to the server. */
  sending: boolean;
}

/** Marks of one scan, for the view. */
export interface ScanMarks {
  scanId: string;
  selected?: BitSet;
  leaving?: BitSet;
}

/** What shows the selection: told what is marked, and what is measured, by scan. */
export interface SelectionViewer {
  marks(marks: ScanMarks): void;
  /** Levels of the colour scale, one for each stored point; undefined shows the usual colours. */
  levels(scanId: string, levels: Uint8Array | undefined): void;
}

const CLOSED: SelectionView = {
  counts: {},
  total: 0,
  canUndo: false,
  canRedo: false,
  names: [],
  box: null,
  spacing: 0,
  loading: null,
  busy: false,
  spread: null,
  said: null,
  sending: false,
};

/** A section that was not moved for so long stays, ms. */
const MOVED = 200;

/** Runs the selection worker for the page and keeps what it says in one observable state. */
export class SelectionClient extends Store<SelectionView> {
  private worker?: Worker;
  private pieceId = '';
  private sent = '';
  private slab: SectionSlab | null = null;
  private moving?: ReturnType<typeof setTimeout>;
  private readonly viewers = new Set<SelectionViewer>();
  private readonly marks = new Map<string, ScanMarks>();
  private readonly levels = new Map<string, Uint8Array>();
  private packed?: (packed: { bytes: ArrayBuffer; scans: string[] }) => void;

  /** A view that shows the selection: it gets what stands, then every change. */
  addViewer(viewer: SelectionViewer): () => void {
    this.viewers.add(viewer);
    this.marks.forEach((m) => viewer.marks(m));
    this.levels.forEach((levels, id) => viewer.levels(id, levels));
    return () => {
      this.viewers.delete(viewer);
      for (const scanId of this.marks.keys()) viewer.marks({ scanId });
      for (const scanId of this.levels.keys()) viewer.levels(scanId, undefined);
    };
  }

  /** The scans as they are shown now; the worker starts with the first call and reads their points. */
  show(piece: PieceView, settings: ViewSettings): void {
    if (this.pieceId !== piece.id) this.close();
    this.pieceId = piece.id;
    const items = new Map(contentOf(piece, 'scans', settings).clouds.map((c) => [c.scanId, c]));
    const scans: ShownScan[] = piece.scanList.map((s) => {
      const item = items.get(s.id)!;
      return {
        id: s.id,
        name: s.name,
        source: item.source,
        viewFromScan: item.matrix,
        visible: item.visible,
        spacing: Number(s.cloud.facts.spacing) || 0.01,
      };
    });
    const text = JSON.stringify(scans);
    if (text === this.sent) return;
    // What was measured counted other points.
    if (this.state.spread) this.forgetMeasure();
    this.sent = text;
    this.post({ type: 'scans', pieceId: piece.id, scans });
  }

  close(): void {
    this.worker?.terminate();
    this.worker = undefined;
    this.sent = '';
    this.pieceId = '';
    for (const scanId of this.marks.keys()) this.viewers.forEach((v) => v.marks({ scanId }));
    this.marks.clear();
    this.forgetMeasure();
    this.set(CLOSED);
  }

  /** Selecting takes, and a measure's spread counts, only what lies in a slab, as long as only that is drawn. */
  setSlab(slab: SectionSlab | null): void {
    if (JSON.stringify(slab) === JSON.stringify(this.slab)) return;
    this.slab = slab;
    if (!this.state.spread) return;
    // While the section is being moved its spread is not asked for at every step.
    clearTimeout(this.moving);
    this.moving = setTimeout(() => this.state.spread && this.post({ type: 'spread', slab: this.slab }), MOVED);
  }

  /** @param everywhere also what lies outside of the section shown */
  select(selector: Selector, join: SelectionJoin = 'replace', everywhere = false): void {
    this.set({ said: null });
    this.post({ type: 'select', selector, join, slab: everywhere ? null : this.slab });
  }

  /** Selects what an operation would leave out of the scans that are shown. */
  preview(operationId: string, params: object): void {
    this.set({ said: null });
    this.post({ type: 'preview', operationId, params });
  }

  /** @returns true if there was a selection to take back (or to bring back) */
  step(direction: 'undo' | 'redo'): boolean {
    if (!(direction === 'undo' ? this.state.canUndo : this.state.canRedo)) return false;
    this.post({ type: direction });
    return true;
  }

  remember(name: string): void {
    this.post({ type: 'remember', name });
  }

  forget(name: string): void {
    this.post({ type: 'forget', name });
  }

  /** Measures the points shown, and colours the view by it. */
  measure(measure: Measure): void {
    this.set({ said: null });
    this.post({ type: 'measure', measure, slab: this.slab });
  }

  forgetMeasure(): void {
    for (const scanId of this.levels.keys()) this.viewers.forEach((v) => v.levels(scanId, undefined));
    this.levels.clear();
    this.set({ spread: null });
  }

  /** Points that were about to be cut are shown again: the cut failed or was cancelled. */
  restore(): void {
    this.post({ type: 'restore' });
  }

  /** Sends the selected points to the server, which takes them out of their scans; the view shows it at once. */
  async cut(action: 'remove' | 'split', name: string): Promise<void> {
    this.set({ sending: true, said: null });
    const { bytes, scans } = await new Promise<{ bytes: ArrayBuffer; scans: string[] }>((resolve) => {
      this.packed = resolve;
      this.post({ type: 'pack' });
    });
    const params = JSON.stringify({ only: scans, action, ...(name ? { name } : {}) });
    uploadScan(
      new File([bytes], 'selection.akb', { type: 'application/octet-stream' }),
      { pieceId: this.pieceId, setup: '', operation: OPERATION_IDS.cleanCut, params },
      {
        progress: () => undefined,
        done: () => this.set({ sending: false }),
        failed: (said) => {
          this.restore();
          this.set({ sending: false, said });
        },
      },
    );
  }

  private post(message: ToSelection): void {
    if (!this.worker) {
      this.worker = new Worker(new URL('./selection.worker.ts', import.meta.url), { type: 'module' });
      this.worker.onmessage = ({ data }: MessageEvent<FromSelection>) => this.take(data);
      this.worker.onerror = () => {
        this.close();
        this.set({ said: 'Selecting stopped unexpectedly, perhaps for lack of memory. Hide some scans, try again.' });
      };
    }
    this.worker.postMessage(message);
  }

  private take(message: FromSelection): void {
    if (message.type === 'state') this.set(message.state);
    else if (message.type === 'loading') this.set({ loading: message.fraction });
    else if (message.type === 'working') this.set({ busy: message.busy });
    else if (message.type === 'spread') this.set({ spread: message.spread });
    else if (message.type === 'said') this.set({ said: message.text, busy: false });
    else if (message.type === 'packed') this.packed?.(message);
    else if (message.type === 'levels') {
      this.levels.set(message.scanId, message.levels);
      this.viewers.forEach((v) => v.levels(message.scanId, message.levels));
    } else {
      const { scanId, size, selected, leaving } = message;
      const marks = {
        scanId,
        selected: selected ? new BitSet(size, selected) : undefined,
        leaving: leaving ? new BitSet(size, leaving) : undefined,
      };
      this.marks.set(scanId, marks);
      this.viewers.forEach((v) => v.marks(marks));
    }
  }

  private set(part: Partial<SelectionView>): void {
    this.put({ ...this.state, ...part });
  }
}

export const selectionClient = new SelectionClient(CLOSED);

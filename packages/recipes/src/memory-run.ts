import { createRunContext, type TaskPool } from '@amber-knit/core/runtime';
import { findOperation, pieceStats, runOperation, type Figures, type WorkData } from '@amber-knit/operations';
import { groundScans, type Ground, type LineStep } from './ground.js';

/** Hears how a run gets on. */
export interface RunListener {
  begin(title: string): void;
  update(fraction: number, stage: string): void;
  end(summary: string): void;
  note(text: string): void;
}

export interface RunOptions {
  seed: number;
  /** Threads to compute on; without, all is done here. */
  pool?: TaskPool;
  listener?: RunListener;
  /** Peak memory of the process so far, MB, to be noted with each step. */
  peakMemoryMb?: () => number;
}

export interface StepReport {
  operation: string;
  version: number;
  params: object;
  inputs: string[];
  figures: Figures;
  notes: string[];
  seconds: number;
  /** Peak memory of the process so far, MB. */
  peakMemoryMb?: number;
}

export interface RunResult {
  data: Partial<WorkData>;
  steps: StepReport[];
}

/** Runs operations one after the other on what is in memory, and keeps the ledger of it. */
export class MemoryRun implements RunResult {
  readonly steps: StepReport[] = [];
  private readonly line: LineStep[] = [];
  private readonly pointsBrought: number;

  constructor(
    public data: Partial<WorkData>,
    private readonly options: RunOptions,
  ) {
    this.pointsBrought = pieceStats(data).points;
  }

  /** @throws GeometryError whatever the operation throws; the data stay as they were */
  async run(id: string, values: Record<string, unknown>): Promise<void> {
    const operation = findOperation(id);
    const notes: string[] = [];
    const { seed, pool, listener, peakMemoryMb } = this.options;
    listener?.begin(operation.title);
    const started = Date.now();
    const ctx = createRunContext({
      seed,
      pool,
      onProgress: (f, s) => listener?.update(f, s),
      onNote: (n) => {
        notes.push(n);
        listener?.note(n);
      },
    });
    const result = await runOperation(operation, this.data, values, ctx);
    const seconds = (Date.now() - started) / 1000;
    listener?.end(operation.summarize(result.figures));
    this.data = { ...this.data, ...result.outputs };
    const params = result.params as Record<string, unknown>;
    this.steps.push({
      operation: operation.id,
      version: operation.version,
      params,
      inputs: operation.needs.concat(operation.uses ?? []).filter((k) => this.data[k] !== undefined),
      figures: result.figures,
      notes,
      seconds: Number(seconds.toFixed(3)),
      peakMemoryMb: peakMemoryMb?.(),
    });
    const number = this.line.length + 1;
    this.line.push({
      id: String(number),
      number,
      operationId: id,
      params,
      figures: result.figures,
      byRun: true,
      changed: Object.keys(result.outputs).length > 0,
    });
  }

  /** What is there, for conditions and for a guided run. */
  ground(): Ground {
    const { scans = [], placements = [] } = this.data;
    return {
      stats: pieceStats(this.data),
      plan: null,
      scans: groundScans(
        scans.map((s) => s.name),
        placements,
      ),
      pointsBrought: this.pointsBrought,
      line: this.line,
      busy: false,
      wentBack: false,
    };
  }
}

import { mkdir, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Placement } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import {
  findOperation,
  pieceStats,
  runOperation,
  writeMeshFile,
  type Figures,
  type Recipe,
  type WorkData,
} from '@amber-knit/operations';
import { ThreadPool } from '@amber-knit/threads';
import type { ProgressReporter } from './progress.js';

export interface StepReport {
  operation: string;
  version: number;
  params: object;
  inputs: string[];
  figures: Figures;
  notes: string[];
  seconds: number;
  /** Peak memory of the process so far, MB. */
  peakMemoryMb: number;
}

export interface RecipeResult {
  data: Partial<WorkData>;
  steps: StepReport[];
}

/** Runs a recipe in memory on what is there, each operation with suggested values, overridden by the recipe and then by `set`. */
export async function runRecipe(
  start: Partial<WorkData>,
  recipe: Recipe,
  set: Map<string, Record<string, unknown>>,
  seed: number,
  threads: number,
  progress: ProgressReporter,
): Promise<RecipeResult> {
  let data = start;
  const steps: StepReport[] = [];
  const pool = new ThreadPool(threads);
  try {
    for (const step of recipe.steps) {
      const operation = findOperation(step.operation);
      const values = { ...operation.suggest(pieceStats(data)), ...step.set, ...set.get(operation.id) };
      const notes: string[] = [];
      progress.begin(operation.title);
      const started = performance.now();
      const ctx = createRunContext({
        seed,
        pool,
        onProgress: (f, s) => progress.update(f, s),
        onNote: (n) => {
          notes.push(n);
          progress.note(n);
        },
      });
      const result = await runOperation(operation, data, values, ctx);
      const seconds = (performance.now() - started) / 1000;
      progress.end(operation.summarize(result.figures));
      data = { ...data, ...result.outputs };
      steps.push({
        operation: operation.id,
        version: operation.version,
        params: result.params,
        inputs: operation.needs.concat(operation.uses ?? []).filter((k) => data[k] !== undefined),
        figures: result.figures,
        notes,
        seconds: Number(seconds.toFixed(3)),
        peakMemoryMb: Math.round(process.resourceUsage().maxRSS / 1024),
      });
    }
  } finally {
    await pool.close();
  }
  return { data, steps };
}

/** Writes poses.json, mesh.ply, mesh.glb and report.json; every file appears only when complete. */
export async function writeResults(
  dir: string,
  result: RecipeResult,
  about: { recipe: string; seed: number; inputs: string[]; notes: string[] },
): Promise<void> {
  await mkdir(dir, { recursive: true });
  const put = async (name: string, content: string | Uint8Array): Promise<void> => {
    const partial = join(dir, `.${name}.part`);
    await writeFile(partial, content);
    await rename(partial, join(dir, name));
  };
  const { placements, mesh, model, scans } = result.data;
  if (placements && scans) await put('poses.json', JSON.stringify(posesFile(placements, result.steps), undefined, 1));
  if (mesh) await put('mesh.ply', (await writeMeshFile(mesh, { name: 'mesh', format: 'ply', unit: 'mm' })).bytes);
  if (mesh)
    await put('mesh.glb', (await writeMeshFile(model ?? mesh, { name: 'mesh', format: 'glb', unit: 'mm' })).bytes);
  await put('report.json', JSON.stringify({ version: 1, units: 'mm', ...about, steps: result.steps }, undefined, 1));
}

/** The poses file of docs/formats.md. */
export function posesFile(placements: Placement[], steps: StepReport[]): object {
  const reference =
    steps.map((s) => s.figures.reference).find((r) => typeof r === 'string') ?? placements[0]?.name ?? '';
  return {
    version: 1,
    units: 'mm',
    reference,
    scans: placements.map((p) => ({
      name: p.name,
      state: p.state,
      modelFromScan: Array.from({ length: 16 }, (_, i) => p.pieceFromScan[(i % 4) * 4 + Math.floor(i / 4)]),
    })),
  };
}

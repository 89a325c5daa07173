import { mkdir, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Placement } from '@amber-knit/core/geometry';
import { encodeColorPng } from '@amber-knit/core/stored';
import { renderTurntable } from '@amber-knit/core/pictures';
import { findOperation, writeMeshFile, type WorkData } from '@amber-knit/operations';
import { factsOf, holds, MemoryRun, type Recipe, type RunResult, type StepReport } from '@amber-knit/recipes';
import { ThreadPool } from '@amber-knit/threads';
import type { ProgressReporter } from './progress.js';

/** Runs a recipe in memory on what is there, each operation with suggested values, overridden by the recipe and then by `set`. */
export async function runRecipe(
  start: Partial<WorkData>,
  recipe: Recipe,
  set: Map<string, Record<string, unknown>>,
  seed: number,
  threads: number,
  progress: ProgressReporter,
): Promise<RunResult> {
  const pool = new ThreadPool(threads);
  const run = new MemoryRun(start, { seed, pool, listener: progress, peakMemoryMb });
  try {
    for (const { operation, when, set: own } of recipe.steps) {
      const ground = run.ground();
      if (when && !holds(when, factsOf(ground))) continue;
      await run.run(operation, { ...findOperation(operation).suggest(ground.stats), ...own, ...set.get(operation) });
    }
  } finally {
    await pool.close();
  }
  return run;
}

/** Edge of the picture of a surface, pixels, and its ground. */
const PICTURE = 352;
const GROUND: [number, number, number] = [239, 233, 221];

/** Writes poses.json, mesh.ply, mesh.glb, what was delivered, a picture if wanted, and report.json; every file appears only when complete. */
export async function writeResults(
  dir: string,
  result: RunResult,
  wanted: { picture: boolean },
  about: { recipe: string; seed: number; inputs: string[]; notes: string[] } & Record<string, unknown>,
): Promise<void> {
  await mkdir(dir, { recursive: true });
  const put = async (name: string, content: string | Uint8Array): Promise<void> => {
    const partial = join(dir, `.${name}.part`);
    await writeFile(partial, content);
    await rename(partial, join(dir, name));
  };
  const { placements, mesh, model, light, scans, file } = result.data;
  if (placements && scans) await put('poses.json', JSON.stringify(posesFile(placements, result.steps), undefined, 1));
  if (mesh) await put('mesh.ply', (await writeMeshFile(mesh, { name: 'mesh', format: 'ply', unit: 'mm' })).bytes);
  if (mesh)
    await put('mesh.glb', (await writeMeshFile(model ?? mesh, { name: 'mesh', format: 'glb', unit: 'mm' })).bytes);
  if (light)
    for (const format of ['glb', 'obj'] as const) {
      // The OBJ comes in a zip with all maps.
      const written = await writeMeshFile(light, { name: 'light', format, unit: 'mm' });
      await put(written.name, written.bytes);
    }
  const shown = model ?? mesh;
  if (shown && wanted.picture) await put('picture.png', encodeColorPng(renderTurntable(shown, PICTURE, 1, GROUND)));
  if (file && !file.source) await put(file.name, file.bytes);
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

/** Peak memory of this process so far, MB. */
export const peakMemoryMb = (): number => Math.round(process.resourceUsage().maxRSS / 1024);

import { identity } from '@amber-knit/core/math';
import { simplifyMesh } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import { textureMesh } from '@amber-knit/core/texture';
import { ThreadPool } from '@amber-knit/threads';
import { benchObject } from './objects.js';
import { paintedViews, paintOf } from './painted-views.js';
import { sound } from './unwrap-trial.js';

export interface ColouringSize {
  triangles: number;
  /** In two setups together. */
  frames: number;
  mapSizes: number[];
  threads: number;
}

/** What colouring the painted jug costs: seconds a part and in all, memory. */
export async function textureTime({ triangles, frames, mapSizes, threads }: ColouringSize): Promise<void> {
  const mesh = await simplifyMesh(sound(benchObject('jug').mesh), triangles);
  const { scans } = paintedViews(mesh, paintOf(1), { frames: frames / 2, seed: 1 });
  const placements = scans.map(({ name }) => ({ name, state: 'registered' as const, pieceFromScan: identity() }));
  for (const mapSize of mapSizes) {
    const pool = new ThreadPool(threads);
    const parts = new Map<string, number>();
    let since = performance.now();
    let doing = '';
    const onProgress = (_: number, stage: string): void => {
      const now = performance.now();
      parts.set(doing, (parts.get(doing) ?? 0) + (now - since) / 1000);
      [since, doing] = [now, stage];
    };
    const start = performance.now();
    const r = await textureMesh(mesh, scans, placements, { mapSize }, createRunContext({ pool, onProgress }));
    const seconds = (performance.now() - start) / 1000;
    await pool.close();
    console.log(
      `${mesh.indices.length / 3} triangles, ${r.images} pictures, map ${mapSize}²: ${seconds.toFixed(1)} s (${[
        ...parts,
      ]
        .filter(([name, s]) => name && s >= 0.05)
        .map(([name, s]) => `${name.toLowerCase()} ${s.toFixed(1)}`)
        .join(', ')}), ${(process.memoryUsage().rss / 1e6).toFixed(0)} MB`,
    );
  }
}

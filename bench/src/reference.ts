import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pointCount, type PointCloud } from '@amber-knit/core/geometry';
import { writePly } from '@amber-knit/core/io';
import { fromTranslation, transformPoints } from '@amber-knit/core/math';
import { computeFpfh, estimateNormals, removeStrayPoints, thinByVoxel } from '@amber-knit/core/pointcloud';
import { registerIcp } from '@amber-knit/core/registration';
import { createRunContext } from '@amber-knit/core/runtime';
import { PointGrid } from '@amber-knit/core/spatial';
import { jugCloud } from './kernels.js';
import { best } from './yardstick.js';

const ITERATIONS = 12;
const START = fromTranslation(0.3, -0.2, 0.1);

/**
 * The kernels beside those of a native library, Open3D, on the same points and back to back, one core each; ratios below 1
 * are ours to boast of. Needs Debian's `python3-open3d`, which nothing else here does.
 */
export function reference(): void {
  const target = jugCloud(200_000, 0.05);
  const source = jugCloud(200_000, 0.05, 2);
  const few = thinByVoxel(target, 2.6).cloud;
  const dir = mkdtempSync(join(tmpdir(), 'amber-reference-'));
  try {
    for (const [name, cloud] of Object.entries({ target, source, few }))
      writeFileSync(join(dir, `${name}.ply`), writePly(cloud));
    const script = join(import.meta.dirname, '../reference/open3d_kernels.py');
    const env = { ...process.env, OMP_NUM_THREADS: '1' };
    // Debian's own interpreter: others on the machine do not see its packages.
    const run = spawnSync('/usr/bin/python3', [script, dir], { env, encoding: 'utf8' });
    if (run.status !== 0) {
      console.log('The reference did not run. Install it with: apt-get install python3-open3d');
      console.log((run.stderr ?? String(run.error)).split('\n').slice(-3).join('\n'));
      return;
    }
    const { version, times } = JSON.parse(run.stdout) as { version: string; times: Record<string, number> };
    const own = ownTimes(target, source, few);
    console.log(`${'kernel, 200k points'.padEnd(34)}    own   Open3D ${version}   ratio`);
    for (const [name, ms] of Object.entries(own)) {
      console.log(
        `${name.padEnd(34)} ${ms.toFixed(0).padStart(6)} ${times[name].toFixed(0).padStart(10)} ms ${(ms / times[name]).toFixed(2).padStart(10)}`,
      );
    }
  } finally {
    rmSync(dir, { recursive: true });
  }
}

function ownTimes(target: PointCloud, source: PointCloud, few: PointCloud): Record<string, number> {
  const ctx = createRunContext();
  const moved = transformPoints(START, source.positions);
  const n = pointCount(source);
  const grid = new PointGrid(target.positions, 2);
  const all = Uint32Array.from({ length: n }, (_, i) => i);
  const icp = (maxIterations: number): number =>
    best(3, () => registerIcp(source, all, target, grid, START, { maxDistance: 2, minDistance: 2, maxIterations }));
  return {
    nearest: best(3, () => {
      // Its tree is built in the same call.
      const own = new PointGrid(target.positions, 2);
      for (let i = 0; i < 3 * n; i += 3) own.nearest(moved[i], moved[i + 1], moved[i + 2], 2);
    }),
    icp: (icp(ITERATIONS) - icp(1)) / (ITERATIONS - 1),
    normals: best(2, () => estimateNormals(target, [[0, 0, 500]], {}, ctx)),
    thinning: best(3, () => thinByVoxel(target, 1)),
    strays: best(2, () => removeStrayPoints(target, [], {}, ctx)),
    fpfh: best(2, () => computeFpfh(few, 13)),
  };
}

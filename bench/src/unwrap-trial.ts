import { makeManifold, removeFragments } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { countOverlaps, unwrapMesh } from '@amber-knit/core/unwrapping';
import { benchObject, type BenchObjectName } from './objects.js';

/** Without the folds of the open meshes: a mesh is laid out once it is mended. */
export const sound = (mesh: TriangleMesh): TriangleMesh => removeFragments(makeManifold(mesh).mesh, 0.01).mesh;

/** How meshes lie on their maps: charts, map used, stretch, and triangles that lie over others or are mirrored. */
export async function unwrapTrial(names: BenchObjectName[], mapSize: number): Promise<void> {
  for (const name of names) {
    const mesh = sound(benchObject(name).mesh);
    const started = performance.now();
    const atlas = await unwrapMesh(mesh, { mapSize }, createRunContext());
    const seconds = (performance.now() - started) / 1000;
    const q = atlas.plane;
    let mirrored = 0;
    for (let t = 0; t < q.length; t += 6)
      if ((q[t + 2] - q[t]) * (q[t + 5] - q[t + 1]) - (q[t + 4] - q[t]) * (q[t + 3] - q[t + 1]) < 0) mirrored++;
    console.log(
      `${name}, ${mesh.indices.length / 3} triangles: ${atlas.charts} charts, map ${(100 * atlas.coverage).toFixed(1)} %, ` +
        `stretch ${atlas.stretch95.toFixed(2)}, ${countOverlaps(atlas)} overlaps, ${mirrored} mirrored, ${seconds.toFixed(1)} s`,
    );
  }
}

import type { TriangleMesh } from '@amber-knit/core/geometry';
import type { RunContext } from '@amber-knit/core/runtime';

/** Distance between two surfaces, measured from the vertices of both, mm. */
export interface Moved {
  rms: number;
  max: number;
}

/** Another mesh of the same surface with what that knows, and how far they lie apart. */
export async function remade(
  mesh: TriangleMesh,
  positions: TriangleMesh,
  ctx: RunContext,
): Promise<{ light: TriangleMesh; moved: Moved }> {
  const { carryAttributes } = await import('@amber-knit/core/remeshing');
  const { measureDeviation } = await import('@amber-knit/core/measure');
  const carried = carryAttributes(mesh, positions, ctx.part(0, 0.4));
  const back = measureDeviation(mesh.positions, carried.mesh, Infinity, ctx.part(0.4, 1));
  let squares = 0;
  let max = back.max;
  for (const d of carried.distances) {
    squares += d * d;
    max = Math.max(max, d);
  }
  const rms = Math.sqrt((squares / carried.distances.length + back.rms * back.rms) / 2);
  return { light: carried.mesh, moved: { rms, max } };
}

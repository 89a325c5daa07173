import { triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { makeManifold } from '../mesh/repair.js';
import { vertexTriangles, type VertexTriangles } from '../mesh/vertex-triangles.js';
import type { RunContext } from '../runtime/run-context.js';
import type { Fault, FaultKind } from './diagnose.js';
import { replaceTriangles } from './replace-triangles.js';

/** What is done about a kind of fault. */
const REMEDIES: Record<FaultKind, 'replace' | 'drop' | 'turn'> = {
  crossing: 'replace',
  edge: 'replace',
  vertex: 'replace',
  spike: 'replace',
  inner: 'drop',
  loose: 'drop',
  'inside-out': 'turn',
};

/** How far around a fault the surface is taken out, in corners. */
const RINGS: Partial<Record<FaultKind, number>> = { crossing: 1, spike: 1 };

export interface MendedFaults {
  mesh: TriangleMesh;
  /** Triangles taken out, places filled anew, places that stayed open. */
  removed: number;
  filled: number;
  leftOpen: number;
}

/**
 * Mends chosen faults of a surface and leaves the rest as it is: what crosses or stands out is taken out and
 * the surface goes on over the place; pieces that are loose or hidden go; what faces inwards is turned. O(n + m), and what
 * `fillHoles` takes. @param faults some of `diagnose` of this very mesh
 */
export function mendFaults(mesh: TriangleMesh, faults: readonly Fault[], ctx: RunContext): MendedFaults {
  const indices = mesh.indices.slice();
  const drop = new Uint8Array(triangleCount(mesh));
  const replace = new Uint8Array(triangleCount(mesh));
  const around = vertexTriangles(mesh);
  for (const { kind, triangles } of faults) {
    const remedy = REMEDIES[kind];
    if (remedy === 'drop') for (const t of triangles) drop[t] = 1;
    else if (remedy === 'replace') for (const t of widened(mesh, around, triangles, RINGS[kind] ?? 0)) replace[t] = 1;
    else for (const t of triangles) [indices[3 * t + 1], indices[3 * t + 2]] = [indices[3 * t + 2], indices[3 * t + 1]];
  }
  const keep = drop.map((gone, t) => (gone || replace[t] ? 0 : 1));
  const removed = keep.reduce((sum, k) => sum + 1 - k, 0);
  const turned = { ...mesh, indices };
  if (removed === 0) return { mesh: makeManifold(turned).mesh, removed, filled: 0, leftOpen: 0 };
  const r = replaceTriangles(turned, keep, true, ctx);
  return { ...r, removed };
}

/** Triangles and those within so many corners of them. */
function widened(
  mesh: TriangleMesh,
  { start, list }: VertexTriangles,
  triangles: Uint32Array,
  rings: number,
): Iterable<number> {
  let all = new Set<number>(triangles);
  for (let ring = 0; ring < rings; ring++) {
    const wider = new Set(all);
    for (const t of all)
      for (let k = 0; k < 3; k++) {
        const v = mesh.indices[3 * t + k];
        for (let j = start[v]; j < start[v + 1]; j++) wider.add(list[j]);
      }
    all = wider;
  }
  return all;
}

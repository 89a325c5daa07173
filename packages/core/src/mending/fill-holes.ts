import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { BOUNDARY, boundaryLoops, nextHalfEdge, oppositeHalfEdges } from '../mesh/topology.js';
import type { RunContext } from '../runtime/run-context.js';
import { fillHole, type FillShape } from './fill-hole.js';
import { listHoles } from './holes.js';
import { PatchedMesh } from './patched-mesh.js';
import { Surroundings } from './surroundings.js';

export interface FillHolesOptions {
  /** Holes with a longer rim stay open, mm; 0 = fill all. */
  maxRim: number;
  shape: FillShape;
}

export const FILL_HOLES_DEFAULTS: FillHolesOptions = { maxRim: 0, shape: 'smooth' };

export interface FillHolesResult {
  mesh: TriangleMesh;
  filled: number;
  leftOpen: number;
  /** Area of the new surface, mm². */
  inventedArea: number;
}

/**
 * Closes holes with patches that match the density around them and, for `smooth`, go on as the surface around does. New
 * vertices are marked `invented`; measured ones stay where they are. The mesh must be manifold (see `makeManifold`); the
 * result then is too, and closed where filled. See `triangulateLoop`, `Patch` and `continueSurface` for the sources.
 * O(rim³) for rims up to 420 vertices.
 */
export function fillHoles(mesh: TriangleMesh, options: Partial<FillHolesOptions>, ctx: RunContext): FillHolesResult {
  const o = { ...FILL_HOLES_DEFAULTS, ...options };
  const holes = listHoles(mesh).filter((h) => o.maxRim === 0 || h.length <= o.maxRim);
  const total = boundaryLoops(mesh).length;
  const patched = new PatchedMesh(mesh);
  const around = new Surroundings(mesh);
  const joined = edgesBetweenRims(mesh);
  let filled = 0;
  const work = holes.reduce((s, h) => s + h.rim.length ** 1.5, 0);
  let done = 0;
  for (const hole of holes) {
    ctx.checkpoint(done / work);
    done += hole.rim.length ** 1.5;
    const patch = fillHole(mesh, around, hole, joined, o.shape);
    if (!patch) continue;
    patched.add(patch);
    filled++;
  }
  return { mesh: patched.finish(), filled, leftOpen: total - filled, inventedArea: patched.area };
}

/** Tells which edges of the mesh join two vertices on rims: a patch must not make them a second time. */
function edgesBetweenRims(mesh: TriangleMesh): (a: number, b: number) => boolean {
  const { indices } = mesh;
  const n = vertexCount(mesh);
  const opposite = oppositeHalfEdges(indices, n);
  const onRim = new Uint8Array(n);
  for (let h = 0; h < indices.length; h++) {
    if (opposite[h] === BOUNDARY) onRim[indices[h]] = onRim[indices[nextHalfEdge(h)]] = 1;
  }
  const edges = new Set<number>();
  const key = (a: number, b: number): number => Math.min(a, b) * n + Math.max(a, b);
  for (let h = 0; h < indices.length; h++) {
    const a = indices[h];
    const b = indices[nextHalfEdge(h)];
    if (onRim[a] && onRim[b]) edges.add(key(a, b));
  }
  return (a, b) => edges.has(key(a, b));
}

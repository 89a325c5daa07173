import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { findCrossings } from '../mesh/crossings.js';
import { nextHalfEdge, oppositeHalfEdges, rimVertices } from '../mesh/topology.js';
import type { RunContext } from '../runtime/run-context.js';
import { fillHole, type FillShape } from './fill-hole.js';
import { listHoles, type Hole } from './holes.js';
import { findIslands, passesNear } from './islands.js';
import { PatchedMesh, type HolePatch } from './patched-mesh.js';
import { Surroundings } from './surroundings.js';

export interface FillHolesOptions {
  /** Holes with a longer rim stay open, mm; 0 = fill all. */
  maxRim: number;
  shape: FillShape;
  /** Which to fill, by their places in `listHoles`; absent = all that are not meant to be open. */
  only?: readonly number[];
  /**
   * A filling that would cross triangles of the surface is tried again as a skin; else its hole stays open and the
   * triangles are told, so that they can be taken out first.
   */
  skins: boolean;
}

export const FILL_HOLES_DEFAULTS: FillHolesOptions = { maxRim: 0, shape: 'smooth', skins: true };

/** How far from a rim, in edges, a triangle may stand in the way of its filling. */
const RIM_RINGS = 3;

export interface FillHolesResult {
  mesh: TriangleMesh;
  filled: number;
  leftOpen: number;
  /** Pieces of surface within holes that fillings went on to. */
  islandsJoined: number;
  /** Of those left open, how many because they are meant to be. */
  meant: number;
  /** Of those left open, how many because every filling would have crossed the surface. */
  wouldCross: number;
  /** Triangles at their rims that stood in the way. */
  inTheWay: number[];
  /** Area of the new surface, mm². */
  inventedArea: number;
}

/**
 * Closes holes with patches that match the density around them and, for `smooth`, go on as the surface around does. New
 * vertices are marked `invented`; measured ones stay where they are. A filling that would cross the surface or another
 * filling is tried again as a skin; if that crosses too, its hole stays open. What lies as an island in a hole, where its
 * filling would pass, is joined to it: it was measured. The mesh must be manifold (see
 * `makeManifold`); the result then is too, and closed where filled. See `triangulateLoop`, `Patch` and `continueSurface`
 * for the sources. O(rim³) for rims up to 420 vertices.
 */
export function fillHoles(mesh: TriangleMesh, options: Partial<FillHolesOptions>, ctx: RunContext): FillHolesResult {
  const o = { ...FILL_HOLES_DEFAULTS, ...options };
  const opposite = oppositeHalfEdges(mesh.indices, vertexCount(mesh));
  const all = listHoles(mesh, opposite);
  const chosen = all.flatMap((h, i) => {
    const wanted = o.only ? o.only.includes(i) : !h.meant;
    return wanted && (o.maxRim === 0 || h.length <= o.maxRim) ? [i] : [];
  });
  const holes = chosen.map((i) => all[i]);
  const around = new Surroundings(mesh);
  const joined = edgesBetweenRims(mesh, opposite);
  const islands = findIslands(mesh, all);
  /** Islands that each patch goes on to, and all of these. */
  const reached = new Map<number, Hole[]>();
  const taken = new Set<number>();
  const work = holes.reduce((s, h) => s + h.rim.length ** 1.5, 0);
  const filling = ctx.part(0, 0.9);
  let done = 0;
  const patches: (HolePatch | undefined)[] = holes.map((hole, k) => {
    filling.checkpoint(done / work);
    done += hole.rim.length ** 1.5;
    if (taken.has(chosen[k])) return undefined;
    const plain = fillHole(mesh, around, hole, joined, o.shape);
    const near = (islands.get(chosen[k]) ?? []).filter((i) => plain && passesNear(mesh, plain, all[i], hole));
    if (near.length === 0) return plain;
    const isles = near.map((i) => all[i]);
    const patch = fillHole(
      mesh,
      around,
      hole,
      joined,
      o.shape,
      isles.map((h) => h.rim),
    );
    if (!patch) return plain;
    reached.set(k, isles);
    near.forEach((i) => taken.add(i));
    return patch;
  });
  let wouldCross = 0;
  const inTheWay: number[] = [];
  let patched = join(mesh, patches);
  const crossed = crossingPatches(mesh, patched, patches);
  if (crossed.size > 0) {
    ctx.checkpoint(0.93);
    // Only what hangs at the rim itself may be said to stand in the way; a wall further off is measured surface.
    const atRim = (i: number, triangles: readonly number[]): boolean => {
      const near = new Set(around.zone(holes[i].rim, 0, RIM_RINGS, Infinity).triangles);
      return triangles.length > 0 && triangles.every((t) => near.has(t));
    };
    for (const [i, triangles] of crossed) {
      if (!o.skins && atRim(i, triangles)) continue;
      const isles = (reached.get(i) ?? []).map((h) => h.rim);
      const skin = isles.length > 0 ? fillHole(mesh, around, holes[i], joined, 'flat', isles) : undefined;
      if (!skin) reached.delete(i);
      patches[i] = skin ?? fillHole(mesh, around, holes[i], joined, 'flat');
    }
    for (const [i, triangles] of crossingPatches(mesh, join(mesh, patches), patches)) {
      patches[i] = undefined;
      reached.delete(i);
      wouldCross++;
      if (atRim(i, triangles)) inTheWay.push(...triangles);
    }
    patched = join(mesh, patches);
  }
  const filled = patches.filter((p) => p).length;
  const islandsJoined = Array.from(reached.values(), (isles) => isles.length).reduce((sum, n) => sum + n, 0);
  const meant = o.only ? 0 : all.filter((h) => h.meant).length;
  return {
    mesh: patched.finish(),
    filled,
    leftOpen: all.length - filled - islandsJoined,
    islandsJoined,
    meant,
    wouldCross,
    inTheWay,
    inventedArea: patched.area,
  };
}

function join(mesh: TriangleMesh, patches: readonly (HolePatch | undefined)[]): PatchedMesh {
  const patched = new PatchedMesh(mesh);
  for (const patch of patches) if (patch) patched.add(patch);
  return patched;
}

/** Which patches cross the surface or each other (of two that cross, both), with the triangles of the surface. */
function crossingPatches(
  mesh: TriangleMesh,
  patched: PatchedMesh,
  patches: readonly (HolePatch | undefined)[],
): Map<number, number[]> {
  const first = triangleCount(mesh);
  const patchOf: number[] = [];
  patches.forEach((patch, i) => {
    for (let t = 0; patch && t < patch.triangles.length; t += 3) patchOf.push(i);
  });
  const out = new Map<number, number[]>();
  const pairs = findCrossings(patched.finish(), first);
  for (let k = 0; k < pairs.length; k += 2) {
    const [low, high] = [pairs[k], pairs[k + 1]];
    for (const t of [low, high]) if (t >= first && !out.has(patchOf[t - first])) out.set(patchOf[t - first], []);
    if (low < first) out.get(patchOf[high - first])!.push(low);
  }
  return out;
}

/** Tells which edges of the mesh join two vertices on rims: a patch must not make them a second time. */
function edgesBetweenRims(mesh: TriangleMesh, opposite: Int32Array): (a: number, b: number) => boolean {
  const { indices } = mesh;
  const n = vertexCount(mesh);
  const onRim = rimVertices(indices, n, opposite);
  const edges = new Set<number>();
  const key = (a: number, b: number): number => Math.min(a, b) * n + Math.max(a, b);
  for (let h = 0; h < indices.length; h++) {
    const a = indices[h];
    const b = indices[nextHalfEdge(h)];
    if (onRim[a] && onRim[b]) edges.add(key(a, b));
  }
  return (a, b) => edges.has(key(a, b));
}

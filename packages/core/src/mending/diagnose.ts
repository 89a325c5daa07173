import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Vec3 } from '../math/mat4.js';
import { findCrossings } from '../mesh/crossings.js';
import { findSurfaceFaults } from '../mesh/surface-faults.js';
import { countFans, labelPieces, NON_MANIFOLD, oppositeHalfEdges } from '../mesh/topology.js';
import { vertexTriangles } from '../mesh/vertex-triangles.js';
import type { RunContext } from '../runtime/run-context.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';

/**
 * What can be wrong at a place of a surface, the gravest first. Holes are listed by `listHoles`; slivers do no harm, and
 * `evenMesh` leaves none.
 */
export const FAULT_KINDS = ['crossing', 'edge', 'vertex', 'inside-out', 'inner', 'loose', 'spike'] as const;
export type FaultKind = (typeof FAULT_KINDS)[number];

/** What a person may not want gone is mended only if it is chosen: loose pieces can be parts. */
export const SAFE_FAULTS: readonly FaultKind[] = ['crossing', 'edge', 'vertex', 'inside-out', 'inner', 'spike'];

/** One place where something is wrong. */
export interface Fault {
  kind: FaultKind;
  /** Its triangle next to the middle of it, mm. */
  place: Vec3;
  /** Diagonal of the box around it, mm. */
  size: number;
  /** The triangles it is made of. */
  triangles: Uint32Array;
}

/** A piece with less than this share of the largest piece's triangles is called loose; see `MEND_MESH_DEFAULTS`. */
const LOOSE = 0.05;

/**
 * Lists all that is wrong with a surface but its holes, place by place: triangles that cross (exactly; see
 * `findCrossings`), edges of more than two triangles, vertices where surfaces only touch, closed pieces that face inwards,
 * pieces within others, small loose pieces, spikes. Triangles of one kind that touch are one place. The gravest
 * kinds first, of a kind the largest first, so that the same surface always gives the same list. O(m log m).
 */
export function diagnose(mesh: TriangleMesh, ctx: RunContext): Fault[] {
  const { indices } = mesh;
  const m = triangleCount(mesh);
  const n = vertexCount(mesh);
  const found = new Map<FaultKind, Set<number>>(FAULT_KINDS.map((kind) => [kind, new Set()]));
  const add = (kind: FaultKind, triangles: Iterable<number>): void => {
    for (const t of triangles) found.get(kind)!.add(t);
  };
  ctx.checkpoint(0.05);
  const crossings = findCrossings(mesh);
  add('crossing', crossings);
  ctx.checkpoint(0.5);
  const opposite = oppositeHalfEdges(indices, n);
  opposite.forEach((o, h) => {
    if (o === NON_MANIFOLD) add('edge', [Math.floor(h / 3)]);
  });
  const around = vertexTriangles(mesh);
  const at = (v: number): Uint32Array => around.list.subarray(around.start[v], around.start[v + 1]);
  const fans = countFans(indices, n, opposite);
  for (let v = 0; v < n; v++) if (fans[v] > 1 && at(v).every((t) => !found.get('edge')!.has(t))) add('vertex', at(v));
  ctx.checkpoint(0.6);
  // Pieces can be told inside from outside only where two triangles meet at each edge.
  const { label, sizes } = labelPieces(mesh);
  const sound = found.get('edge')!.size === 0 && found.get('vertex')!.size === 0;
  const faults = sound ? findSurfaceFaults(mesh) : undefined;
  ctx.checkpoint(0.9);
  const largest = sizes.reduce((a, b) => Math.max(a, b), 0);
  const kindOf = sizes.map((size, i): FaultKind | undefined => {
    if (faults?.pieces[i].inner) return 'inner';
    if (size < LOOSE * largest) return 'loose';
    return (faults?.pieces[i].volume ?? 0) < 0 ? 'inside-out' : undefined;
  });
  // What goes as a whole is not told again by its parts.
  const goes = (t: number): boolean => kindOf[label[t]] === 'loose' || kindOf[label[t]] === 'inner';
  for (const v of faults?.spikes ?? []) if (!goes(at(v)[0])) add('spike', at(v));
  for (let t = 0; t < m; t++) {
    const kind = kindOf[label[t]];
    if (kind) add(kind, [t]);
  }
  return FAULT_KINDS.flatMap((kind) =>
    placesOf(
      mesh,
      kind,
      Array.from(found.get(kind)!).sort((a, b) => a - b),
      kind === 'crossing' ? crossings : [],
    ),
  );
}

/** Triangles that touch are one place, and so are pairs that belong together. */
function placesOf(
  mesh: TriangleMesh,
  kind: FaultKind,
  triangles: readonly number[],
  pairs: ArrayLike<number>,
): Fault[] {
  const { positions: p, indices } = mesh;
  const sets = new DisjointSets(triangles.length);
  const first = new Map<number, number>();
  triangles.forEach((t, i) => {
    for (let k = 0; k < 3; k++) {
      const v = indices[3 * t + k];
      const known = first.get(v);
      if (known === undefined) first.set(v, i);
      else sets.union(known, i);
    }
  });
  const numberOf = pairs.length > 0 ? new Map(triangles.map((t, i) => [t, i])) : undefined;
  for (let i = 0; i < pairs.length; i += 2) sets.union(numberOf!.get(pairs[i])!, numberOf!.get(pairs[i + 1])!);
  const groups = new Map<number, number[]>();
  triangles.forEach((t, i) => {
    const root = sets.find(i);
    const group = groups.get(root);
    if (group) group.push(t);
    else groups.set(root, [t]);
  });
  return Array.from(groups.values(), (group): Fault => {
    const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
    for (const t of group)
      for (let c = 0; c < 9; c++) {
        const [k, v] = [c % 3, indices[3 * t + Math.floor(c / 3)]];
        box[k] = Math.min(box[k], p[3 * v + k]);
        box[3 + k] = Math.max(box[3 + k], p[3 * v + k]);
      }
    const middleOf = (t: number): Vec3 =>
      [0, 1, 2].map(
        (k) => (p[3 * indices[3 * t] + k] + p[3 * indices[3 * t + 1] + k] + p[3 * indices[3 * t + 2] + k]) / 3,
      ) as Vec3;
    const off = (t: number): number => Math.hypot(...middleOf(t).map((c, k) => c - (box[k] + box[3 + k]) / 2));
    const place = middleOf(group.reduce((best, t) => (off(t) < off(best) ? t : best)));
    const size = Math.hypot(box[3] - box[0], box[4] - box[1], box[5] - box[2]);
    return { kind, place, size, triangles: Uint32Array.from(group) };
  }).sort((a, b) => b.size - a.size || a.triangles[0] - b.triangles[0]);
}

import { DisjointSets } from '../spatial/disjoint-sets.js';
import { TriangleBvh } from '../spatial/triangle-bvh.js';
import type { EditableMesh } from './editable-mesh.js';

/** Lines turn by more than this in a corner, which then stays in its place: cosine of 45°. */
const STRAIGHT = Math.SQRT1_2;

/** What a vertex may do: move over the surface, along its line, or not at all. */
export const FREE = 0;
export const ON_LINE = 1;
export const CORNER = 2;

/** Marks the rims of a mesh, and the edges at which its triangles turn by more than an angle, as lines to be kept. O(m). */
export function markCreases(mesh: EditableMesh, angle: number): void {
  const least = Math.cos(angle);
  const a = new Float64Array(3);
  const b = new Float64Array(3);
  for (let h = 0; h < mesh.halfEdges; h++) {
    if (mesh.origin[h] < 0) continue;
    const beside = mesh.twin[h];
    if (beside < 0) {
      mesh.crease[h] = 1;
      continue;
    }
    if (beside < h) continue;
    const l = mesh.normalOf(h, a) * mesh.normalOf(beside, b);
    if (l > 0 && a[0] * b[0] + a[1] * b[1] + a[2] * b[2] < least * l) mesh.crease[h] = mesh.crease[beside] = 1;
  }
}

/**
 * Unmarks lines that are shorter than a length all told, those that hang together counted as one: slivers and noise look like
 * creases, and edges of that length could not follow them. Rims stay. O(m).
 */
export function dropShortCreases(mesh: EditableMesh, least: number): void {
  const sets = new DisjointSets(mesh.vertices);
  const edges: number[] = [];
  for (let h = 0; h < mesh.halfEdges; h++) {
    if (mesh.origin[h] < 0 || !mesh.crease[h] || mesh.twin[h] > h) continue;
    edges.push(h);
    sets.union(mesh.origin[h], mesh.target(h));
  }
  const lengths = new Float64Array(mesh.vertices);
  for (const h of edges) lengths[sets.find(mesh.origin[h])] += Math.sqrt(mesh.squaredLength(h));
  for (const h of edges) {
    if (mesh.twin[h] >= 0 && lengths[sets.find(mesh.origin[h])] < least) mesh.crease[h] = mesh.crease[mesh.twin[h]] = 0;
  }
}

/** What each vertex may do by the lines that meet there. */
export function vertexKinds(mesh: EditableMesh): Uint8Array {
  const lines = new Uint8Array(mesh.vertices);
  const ends = new Int32Array(2 * mesh.vertices);
  for (let h = 0; h < mesh.halfEdges; h++) {
    if (mesh.origin[h] < 0 || !mesh.crease[h] || mesh.twin[h] > h) continue;
    const v = mesh.origin[h];
    const u = mesh.target(h);
    if (lines[v] < 2) ends[2 * v + lines[v]] = u;
    if (lines[u] < 2) ends[2 * u + lines[u]] = v;
    if (lines[v] < 3) lines[v]++;
    if (lines[u] < 3) lines[u]++;
  }
  const { positions: p } = mesh;
  return lines.map((count, v) => {
    if (count === 0) return FREE;
    if (count !== 2) return CORNER;
    let dot = 0;
    let ll = 0;
    let mm = 0;
    for (let k = 0; k < 3; k++) {
      const l = p[3 * v + k] - p[3 * ends[2 * v] + k];
      const m = p[3 * ends[2 * v + 1] + k] - p[3 * v + k];
      dot += l * m;
      ll += l * l;
      mm += m * m;
    }
    return dot < STRAIGHT * Math.sqrt(ll * mm) ? CORNER : ON_LINE;
  });
}

/** The marked lines of a mesh as they stand, to find the closest place on them; nothing if there are none. */
export function lineFinder(mesh: EditableMesh): TriangleBvh | undefined {
  const indices: number[] = [];
  for (let h = 0; h < mesh.halfEdges; h++) {
    if (mesh.origin[h] < 0 || !mesh.crease[h] || mesh.twin[h] > h) continue;
    const to = mesh.target(h);
    // A triangle of no width is a line.
    indices.push(mesh.origin[h], to, to);
  }
  if (indices.length === 0) return undefined;
  return new TriangleBvh({ positions: Float32Array.from(mesh.positions), indices: Uint32Array.from(indices) });
}

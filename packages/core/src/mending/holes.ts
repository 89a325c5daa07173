import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { boundaryLoops } from '../mesh/topology.js';

/** One hole: its rim's vertices in the order of the triangles beside it, its length and middle, mm. */
export interface Hole {
  rim: Uint32Array;
  length: number;
  middle: [number, number, number];
  /** It belongs to the object: most of its rim is marked `meantOpen`. */
  meant: boolean;
}

/** Lists the holes of a mesh with manifold vertices, the longest rim first. O(n + m). @param opposite see `oppositeHalfEdges` */
export function listHoles(mesh: TriangleMesh, opposite?: Int32Array): Hole[] {
  const p = mesh.positions;
  return boundaryLoops(mesh, opposite)
    .map((rim) => {
      let length = 0;
      const middle: [number, number, number] = [0, 0, 0];
      for (let i = 0; i < rim.length; i++) {
        const a = 3 * rim[i];
        const b = 3 * rim[(i + 1) % rim.length];
        length += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
        for (let k = 0; k < 3; k++) middle[k] += p[a + k] / rim.length;
      }
      let marked = 0;
      for (const v of rim) marked += mesh.meantOpen?.[v] ?? 0;
      return { rim, length, middle, meant: 2 * marked > rim.length };
    })
    .sort((a, b) => b.length - a.length);
}

/** The surface with holes marked as meant to be open, or no longer. O(n + rims). */
export function markMeantOpen(mesh: TriangleMesh, holes: readonly Hole[], meant: boolean): TriangleMesh {
  const meantOpen = mesh.meantOpen?.slice() ?? new Uint8Array(vertexCount(mesh));
  for (const { rim } of holes) for (const v of rim) meantOpen[v] = meant ? 1 : 0;
  return { ...mesh, meantOpen };
}

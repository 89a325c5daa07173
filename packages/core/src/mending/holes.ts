import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { boundaryLoops } from '../mesh/topology.js';

/** One hole: its rim's vertices in the order of the triangles beside it, its length and middle, mm. */
export interface Hole {
  rim: Uint32Array;
  length: number;
  middle: [number, number, number];
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
      return { rim, length, middle };
    })
    .sort((a, b) => b.length - a.length);
}

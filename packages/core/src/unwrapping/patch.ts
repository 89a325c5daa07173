import type { TriangleMesh } from '../geometry/triangle-mesh.js';

/** Triangles of a mesh that are laid flat in one piece. */
export interface Patch {
  /** Triangles of the mesh. */
  triangles: Int32Array;
  /** Vertices of the mesh, each once. */
  vertices: Int32Array;
  /** Per corner its place in `vertices` (3 a triangle). */
  corners: Int32Array;
}

/** Cuts patches out of a mesh; one scratch list serves all. */
export class PatchCutter {
  private readonly place: Int32Array;

  constructor(private readonly mesh: TriangleMesh) {
    this.place = new Int32Array(mesh.positions.length / 3).fill(-1);
  }

  /** O(triangles of the patch). */
  cut(triangles: Int32Array): Patch {
    const { indices } = this.mesh;
    const { place } = this;
    const corners = new Int32Array(3 * triangles.length);
    const vertices = new Int32Array(3 * triangles.length);
    let count = 0;
    for (let i = 0; i < triangles.length; i++) {
      for (let k = 0; k < 3; k++) {
        const v = indices[3 * triangles[i] + k];
        if (place[v] < 0) {
          place[v] = count;
          vertices[count++] = v;
        }
        corners[3 * i + k] = place[v];
      }
    }
    for (let i = 0; i < count; i++) place[vertices[i]] = -1;
    return { triangles, vertices: vertices.slice(0, count), corners };
  }
}

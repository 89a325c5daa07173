import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';

/** Triangles at each vertex: those of vertex v are `list[start[v]]` … `list[start[v + 1] - 1]`. */
export interface VertexTriangles {
  start: Uint32Array;
  list: Uint32Array;
}

/** The triangles at each vertex, in their order. O(n + m). */
export function vertexTriangles(mesh: TriangleMesh): VertexTriangles {
  const { indices } = mesh;
  const n = vertexCount(mesh);
  const start = new Uint32Array(n + 1);
  for (const v of indices) start[v + 1]++;
  for (let v = 0; v < n; v++) start[v + 1] += start[v];
  const cursor = start.slice(0, n);
  const list = new Uint32Array(indices.length);
  for (let h = 0; h < indices.length; h++) list[cursor[indices[h]]++] = Math.floor(h / 3);
  return { start, list };
}

import { filterTriangles, triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';

export interface ClearedCrossings {
  mesh: TriangleMesh;
  removedTriangles: number;
}

/**
 * Takes triangles out that cross others, and those within `rings` corners of them, so that the holes can be filled anew.
 * O(m · rings).
 */
export function clearCrossings(mesh: TriangleMesh, crossing: ArrayLike<number>, rings: number): ClearedCrossings {
  if (crossing.length === 0) return { mesh, removedTriangles: 0 };
  const keep = new Uint8Array(triangleCount(mesh)).fill(1);
  for (let i = 0; i < crossing.length; i++) keep[crossing[i]] = 0;
  for (let ring = 0; ring < rings; ring++) {
    const touched = new Uint8Array(vertexCount(mesh));
    keep.forEach((k, t) => {
      if (!k) for (let c = 0; c < 3; c++) touched[mesh.indices[3 * t + c]] = 1;
    });
    for (let t = 0; t < keep.length; t++) {
      if ([0, 1, 2].some((c) => touched[mesh.indices[3 * t + c]])) keep[t] = 0;
    }
  }
  const out = filterTriangles(mesh, keep);
  return { mesh: out, removedTriangles: triangleCount(mesh) - triangleCount(out) };
}

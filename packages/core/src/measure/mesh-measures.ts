import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';

/** Surface area in mm². O(m). */
export function surfaceArea(mesh: TriangleMesh): number {
  const { positions: p, indices } = mesh;
  const n = new Float64Array(3);
  let sum = 0;
  for (let t = 0; t < indices.length; t += 3)
    sum += triangleNormal(p, indices[t], indices[t + 1], indices[t + 2], n) / 2;
  return sum;
}

/**
 * Enclosed volume in mm³ by the divergence theorem; positive when triangles run counter-clockwise seen from outside.
 * Meaningful only for a watertight mesh. O(m).
 */
export function enclosedVolume(mesh: TriangleMesh): number {
  const { positions: p, indices } = mesh;
  let sum = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const a = 3 * indices[t];
    const b = 3 * indices[t + 1];
    const c = 3 * indices[t + 2];
    sum +=
      p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
      p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
      p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c]);
  }
  return sum / 6;
}

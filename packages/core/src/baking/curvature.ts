import { triangleNormal, vertexCount, type NormalMesh } from '../geometry/triangle-mesh.js';

/** Cotangents beyond this belong to slivers. */
const STEEPEST = 20;

/**
 * Mean curvature at each vertex, 1/mm: positive on ridges, negative in grooves; a ball of radius r has 1/r. O(m).
 * Source: M. Meyer, M. Desbrun, P. Schröder, A. Barr (2003), Discrete differential-geometry operators for triangulated 2-manifolds.
 */
export function meanCurvature(mesh: NormalMesh): Float32Array {
  const { positions: p, indices, normals } = mesh;
  const n = vertexCount(mesh);
  const sum = new Float64Array(3 * n);
  const area = new Float64Array(n);
  const across = new Float64Array(3);
  for (let t = 0; t < indices.length; t += 3) {
    const twice = triangleNormal(p, indices[t], indices[t + 1], indices[t + 2], across);
    if (twice === 0) continue;
    for (let k = 0; k < 3; k++) {
      const [a, b, c] = [indices[t + k], indices[t + ((k + 1) % 3)], indices[t + ((k + 2) % 3)]];
      area[a] += twice / 6;
      let dot = 0;
      for (let j = 0; j < 3; j++) dot += (p[3 * b + j] - p[3 * a + j]) * (p[3 * c + j] - p[3 * a + j]);
      // The edge across from a weighs by the cotangent of the angle there.
      const cot = Math.max(-STEEPEST, Math.min(STEEPEST, dot / twice));
      for (let j = 0; j < 3; j++) {
        const d = cot * (p[3 * c + j] - p[3 * b + j]);
        sum[3 * b + j] += d;
        sum[3 * c + j] -= d;
      }
    }
  }
  return Float32Array.from({ length: n }, (_, v) => {
    if (area[v] === 0) return 0;
    // The sum points inwards on ridges, as long as four times area and curvature.
    const inward =
      sum[3 * v] * normals[3 * v] + sum[3 * v + 1] * normals[3 * v + 1] + sum[3 * v + 2] * normals[3 * v + 2];
    return -inward / (4 * area[v]);
  });
}

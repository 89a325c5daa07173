import type { TriangleMesh } from '../geometry/triangle-mesh.js';

/** How even a mesh's triangles are. */
export interface EdgeMeasures {
  /** Mean length of the edges, mm, and their standard deviation in parts of it. */
  mean: number;
  spread: number;
  /** Least angle of a triangle: 5 % of the triangles have a smaller one, radians. */
  leastAngle: number;
}

/** Lengths of the edges, each once a triangle, and least angles. O(m log m). */
export function measureEdges({ positions: p, indices }: TriangleMesh): EdgeMeasures {
  let sum = 0;
  let squares = 0;
  const angles = new Float64Array(indices.length / 3);
  const side = new Float64Array(3);
  for (let t = 0; t < indices.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const a = 3 * indices[t + k];
      const b = 3 * indices[t + ((k + 1) % 3)];
      const dx = p[a] - p[b];
      const dy = p[a + 1] - p[b + 1];
      const dz = p[a + 2] - p[b + 2];
      const d2 = dx * dx + dy * dy + dz * dz;
      side[k] = Math.sqrt(d2);
      sum += side[k];
      squares += d2;
    }
    // The least angle lies across from the shortest side.
    side.sort();
    const cosine = (side[1] * side[1] + side[2] * side[2] - side[0] * side[0]) / (2 * side[1] * side[2]);
    angles[t / 3] = cosine < 1 ? Math.acos(cosine) : 0;
  }
  if (indices.length === 0) return { mean: 0, spread: 0, leastAngle: 0 };
  const mean = sum / indices.length;
  angles.sort();
  return {
    mean,
    spread: Math.sqrt(Math.max(0, squares / indices.length - mean * mean)) / mean,
    leastAngle: angles[Math.floor(angles.length / 20)],
  };
}

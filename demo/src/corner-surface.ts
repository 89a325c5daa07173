import type { TriangleMesh } from '@amber-knit/core/geometry';
import { weldVertices } from '@amber-knit/core/mesh';
import { wheelhouseCorner } from './wheelhouse-corner.js';

/** Beyond this a person in the room does not see: the outsides of walls and floor, mm. */
const WALLS = [-700.5, -700.5, -0.5];

/**
 * The wheelhouse corner as a surface that was scanned from inside: open behind its walls and below its floor, coloured at
 * its vertices, in millimetres, Z up.
 * @param edge no edge is longer, mm: as fine as the boards are to be seen
 */
export function cornerSurface(edge = 22): TriangleMesh {
  const { scene } = wheelhouseCorner();
  const { positions: p, indices } = scene.mesh;
  const positions: number[] = [];
  const colors: number[] = [];
  const add = (a: number[], b: number[], c: number[], triangle: number): void => {
    const corners = [a, b, c];
    const sides = corners.map((q, k) => Math.hypot(...q.map((v, i) => v - corners[(k + 1) % 3][i])));
    const k = sides.indexOf(Math.max(...sides));
    if (sides[k] > edge) {
      const [u, v, w] = [corners[k], corners[(k + 1) % 3], corners[(k + 2) % 3]];
      const middle = u.map((q, i) => (q + v[i]) / 2);
      add(u, middle, w, triangle);
      add(middle, v, w, triangle);
      return;
    }
    for (const [x, y, z] of corners) {
      positions.push(x, y, z);
      colors.push(...scene.color(x, y, z, triangle));
    }
  };
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => [...p.subarray(3 * indices[t + k], 3 * indices[t + k] + 3)]);
    if (![a, b, c].some((q) => q.some((v, i) => v < WALLS[i]))) add(a, b, c, t / 3);
  }
  return weldVertices({
    positions: Float32Array.from(positions),
    colors: Uint8Array.from(colors),
    indices: Uint32Array.from({ length: positions.length / 3 }, (_, i) => i),
  });
}

import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Random } from '../math/random.js';

/** Points spread over a surface by area, with the normals of their triangles; 3n each. */
export interface SurfaceSample {
  positions: Float32Array;
  normals: Float32Array;
}

/**
 * Points at random places of a surface, as many on each part as its area asks for: one in each of n equal shares of the area.
 * O(m + n).
 * Source of the place in a triangle: R. Osada et al. (2002), Shape distributions.
 */
export function sampleSurface(mesh: TriangleMesh, n: number, random: Random): SurfaceSample {
  const { positions: p, indices } = mesh;
  const areas = new Float64Array(indices.length / 3);
  const normal = new Float64Array(3);
  let total = 0;
  for (let t = 0; t < areas.length; t++) {
    areas[t] = triangleNormal(p, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], normal);
    total += areas[t];
  }
  const out: SurfaceSample = { positions: new Float32Array(3 * n), normals: new Float32Array(3 * n) };
  let upTo = areas[0] ?? 0;
  let t = 0;
  for (let i = 0; i < n && areas.length > 0; i++) {
    const at = ((i + random()) / n) * total;
    while (upTo < at && t < areas.length - 1) upTo += areas[++t];
    const root = Math.sqrt(random());
    const share = random();
    const [a, b, c] = [1 - root, root * (1 - share), root * share];
    const length = triangleNormal(p, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], normal) || 1;
    for (let k = 0; k < 3; k++) {
      out.positions[3 * i + k] =
        a * p[3 * indices[3 * t] + k] + b * p[3 * indices[3 * t + 1] + k] + c * p[3 * indices[3 * t + 2] + k];
      out.normals[3 * i + k] = normal[k] / length;
    }
  }
  return out;
}

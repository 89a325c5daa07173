import { marchingCubes, sampleField } from '@amber-knit/core/fusion';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import type { DemoObject } from './shaping.js';

/**
 * The object's true surface as a mesh: marching cubes, then every vertex moved onto the zero surface along the
 * gradient, so that the mesh differs from the implicit surface only between vertices.
 */
export function truthMesh(object: DemoObject, voxel = 1): TriangleMesh {
  const mesh = marchingCubes(sampleField(object.distance, object.min, object.max, voxel), 0.5, createRunContext());
  const p = mesh.positions;
  const e = 0.05;
  for (let i = 0; i < p.length; i += 3) {
    for (let round = 0; round < 2; round++) {
      const x = p[i];
      const y = p[i + 1];
      const z = p[i + 2];
      const d = object.distance(x, y, z);
      const gx = (object.distance(x + e, y, z) - object.distance(x - e, y, z)) / (2 * e);
      const gy = (object.distance(x, y + e, z) - object.distance(x, y - e, z)) / (2 * e);
      const gz = (object.distance(x, y, z + e) - object.distance(x, y, z - e)) / (2 * e);
      const g = gx * gx + gy * gy + gz * gz;
      if (g < 1e-6) break;
      const s = Math.max(-0.5 * voxel, Math.min(0.5 * voxel, d / g));
      p[i] -= s * gx;
      p[i + 1] -= s * gy;
      p[i + 2] -= s * gz;
    }
  }
  return { positions: p, indices: mesh.indices };
}

import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexCount, vertexNormals } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { PatchBlend, type SurfacePatches } from './surface-patches.js';

/** Steps onto the surface: the second mends what the first left where the way was long. */
const STEPS = 2;

/**
 * Moves the vertices of a mesh onto the blended patches, and writes down what is known of the surface there: expected error
 * and how many scans measured it. Where no patch lies, the expected error is NaN and the vertex stays.
 * O(vertices · patches near by).
 */
export function settleVertices(mesh: TriangleMesh, patches: SurfacePatches, ctx: RunContext): TriangleMesh {
  const n = vertexCount(mesh);
  const positions = mesh.positions.slice();
  const normals = vertexNormals(mesh);
  const expectedError = new Float32Array(n).fill(NaN);
  const scanCount = new Uint8Array(n);
  const blend = new PatchBlend(patches);
  for (let i = 0; i < n; i++) {
    if ((i & 4095) === 0) ctx.checkpoint(i / n);
    const o = 3 * i;
    let nx = normals[o];
    let ny = normals[o + 1];
    let nz = normals[o + 2];
    for (let step = 0; step < STEPS; step++) {
      if (!blend.at(positions[o], positions[o + 1], positions[o + 2], nx, ny, nz)) break;
      nx = blend.nx;
      ny = blend.ny;
      nz = blend.nz;
      positions[o] -= blend.distance * nx;
      positions[o + 1] -= blend.distance * ny;
      positions[o + 2] -= blend.distance * nz;
    }
    if (blend.main < 0) continue;
    expectedError[i] = blend.sigma;
    scanCount[i] = Math.min(255, scansOf(patches, blend.main));
  }
  return { positions, indices: mesh.indices, expectedError, scanCount };
}

function scansOf({ scans, scanWords }: SurfacePatches, patch: number): number {
  let count = 0;
  for (let k = 0; k < scanWords; k++)
    for (let bits = scans[scanWords * patch + k]; bits !== 0; bits &= bits - 1) count++;
  return count;
}

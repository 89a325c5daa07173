import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexCount, vertexNormals } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { PatchBlend } from './patch-blend.js';
import type { SurfacePatches } from './surface-patches.js';

/** Steps onto the surface: the second mends what the first left where the way was long. */
const STEPS = 2;

/** A mesh on the surface, and what the patches say at its vertices. */
export interface SettledMesh {
  positions: Float32Array;
  indices: Uint32Array;
  /** Of the patches, unit, 3 per vertex: on one side of an edge where edges are kept. */
  normals: Float32Array;
  /** Expected error, one standard deviation, mm; NaN where no patch lies. */
  sigma: Float32Array;
  /** The patch that counts most, -1 where none lies. */
  patch: Int32Array;
}

/**
 * Moves the vertices of a mesh onto the blended patches. Where no patch lies the vertex stays.
 * O(vertices · patches near by).
 */
export function settleVertices(mesh: TriangleMesh, patches: SurfacePatches, ctx: RunContext): SettledMesh {
  const n = vertexCount(mesh);
  const positions = mesh.positions.slice();
  const normals = vertexNormals(mesh);
  const sigma = new Float32Array(n).fill(NaN);
  const patch = new Int32Array(n).fill(-1);
  const blend = new PatchBlend(patches);
  for (let i = 0; i < n; i++) {
    if ((i & 4095) === 0) ctx.checkpoint(i / n);
    const o = 3 * i;
    let nx = normals[o];
    let ny = normals[o + 1];
    let nz = normals[o + 2];
    // Beside an edge the triangles' own normal is that of neither face.
    if (patches.partners && blend.face(positions[o], positions[o + 1], positions[o + 2], nx, ny, nz)) {
      nx = blend.nx;
      ny = blend.ny;
      nz = blend.nz;
    }
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
    normals[o] = nx;
    normals[o + 1] = ny;
    normals[o + 2] = nz;
    sigma[i] = blend.sigma;
    patch[i] = blend.main;
  }
  return { positions, indices: mesh.indices, normals, sigma, patch };
}

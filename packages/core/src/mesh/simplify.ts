import { MeshoptSimplifier } from 'meshoptimizer';
import { compactMesh, triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';

export interface SimplifyMeshOptions {
  /** Wanted number of triangles. */
  triangles: number;
  /** Stops earlier if a collapse would leave the surface further than this, mm; 0 = no limit. */
  maxDeviation: number;
}

export const SIMPLIFY_MESH_DEFAULTS: SimplifyMeshOptions = { triangles: 200_000, maxDeviation: 0 };

/**
 * Reduces a mesh by collapsing edges in order of their quadric error (M. Garland, P. Heckbert, 1997, Surface
 * simplification using quadric error metrics), by meshoptimizer. Vertices of the result are vertices of the source, so
 * colours and flags stay true. Rims are kept. @returns the mesh and the error it reports, mm
 */
export async function simplifyMesh(
  mesh: TriangleMesh,
  options: Partial<SimplifyMeshOptions>,
): Promise<{ mesh: TriangleMesh; error: number }> {
  const o = { ...SIMPLIFY_MESH_DEFAULTS, ...options };
  if (triangleCount(mesh) <= o.triangles) return { mesh, error: 0 };
  await MeshoptSimplifier.ready;
  const limit = o.maxDeviation > 0 ? o.maxDeviation : 1e6;
  const [indices, error] = MeshoptSimplifier.simplify(mesh.indices, mesh.positions, 3, 3 * o.triangles, limit, [
    'LockBorder',
    'ErrorAbsolute',
  ]);
  return { mesh: compactMesh({ ...mesh, indices: Uint32Array.from(indices) }), error };
}

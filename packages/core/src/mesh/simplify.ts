import { MeshoptSimplifier } from 'meshoptimizer';
import { compactMesh, triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';

/** No limit of deviation, mm. */
const FAR = 1e6;

/**
 * A quick lighter mesh to look at, by meshoptimizer (M. Garland, P. Heckbert, 1997, Surface simplification using quadric
 * error metrics): its vertices are vertices of the source, with all they know, and rims are kept; triangles may cross and
 * edges be shared by three. What is worked on further is reduced by `reduceMesh`.
 * @param triangles wanted number
 */
export async function simplifyMesh(mesh: TriangleMesh, triangles: number): Promise<TriangleMesh> {
  if (triangleCount(mesh) <= triangles) return mesh;
  await MeshoptSimplifier.ready;
  const [indices] = MeshoptSimplifier.simplify(mesh.indices, mesh.positions, 3, 3 * triangles, FAR, [
    'LockBorder',
    'ErrorAbsolute',
  ]);
  return compactMesh({ ...mesh, indices: Uint32Array.from(indices) });
}

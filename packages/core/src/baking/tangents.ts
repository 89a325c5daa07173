import type { NormalMesh } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';

/**
 * Per triangle corner the tangent along U and the sign of the bitangent, which points along V upwards (12m), by the package
 * `mikktspace`: glTF 2.0 names MikkTSpace (M. Mikkelsen 2008, Simulation of wrinkled surfaces revisited), so that maps look
 * the same in every reader.
 */
export async function cornerTangents(mesh: NormalMesh, cornerUvs: Float32Array): Promise<Float32Array> {
  const { generateTangents } = await import('mikktspace');
  const corners = (values: Float32Array): Float32Array => {
    const out = new Float32Array(3 * mesh.indices.length);
    for (let c = 0; c < mesh.indices.length; c++)
      for (let k = 0; k < 3; k++) out[3 * c + k] = values[3 * mesh.indices[c] + k];
    return out;
  };
  const out = generateTangents(corners(mesh.positions), corners(mesh.normals), cornerUvs);
  if (out.length !== 4 * mesh.indices.length)
    throw new GeometryError('degenerate', 'The map of the light surface has no directions. Unwrap it anew.');
  return out;
}

import { BUNDLE_MAGIC } from '../bundle/bundle.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { knowledgeOf } from '../geometry/vertex-knowledge.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { decodeMesh } from '../stored/stored-artifacts.js';
import { allBytes, firstBytes, type Bytes } from './byte-source.js';
import type { ScanFile } from './scan-file.js';

/** Does a file begin as our own stored data do (docs/formats.md)? */
export function looksStored(bytes: Bytes): boolean {
  const first = firstBytes(bytes, 4);
  return first.length === 4 && new DataView(first.buffer, first.byteOffset).getUint32(0, true) === BUNDLE_MAGIC;
}

/**
 * Reads a surface as it is stored: millimetres, with what its vertices know.
 * @throws GeometryError `unsupported-format` for stored data that are no surface, `corrupt-file`
 */
export function readStoredSurface(bytes: Bytes): ScanFile {
  const mesh = decodeForeign(allBytes(bytes));
  if (mesh.indices.length === 0)
    throw new GeometryError('unsupported-format', 'The stored data hold no surface. Choose a piece that has one.');
  return {
    format: 'stored surface',
    positions: mesh.positions,
    indices: mesh.indices,
    ...(mesh.normals ? { normals: mesh.normals } : {}),
    ...(mesh.colors ? { colors: mesh.colors } : {}),
    ...knowledgeOf(mesh),
    companions: [],
    inMillimetres: true,
    notes: [],
  };
}

/** Our own files as they come from outside: what looks like one may be damaged, or hold something else. */
function decodeForeign(bytes: Uint8Array): TriangleMesh {
  try {
    return decodeMesh(bytes);
  } catch (error) {
    if (error instanceof GeometryError) throw error;
    throw new GeometryError('corrupt-file', 'The stored data are damaged. Fetch the file again.');
  }
}

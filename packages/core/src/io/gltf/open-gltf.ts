import { WebIO, type Document, type GLTF } from '@gltf-transform/core';
import {
  EXTMeshoptCompression,
  EXTTextureWebP,
  KHRDracoMeshCompression,
  KHRMaterialsUnlit,
  KHRMeshQuantization,
  KHRTextureTransform,
} from '@gltf-transform/extensions';
import { GeometryError } from '../../runtime/geometry-error.js';
import { assertCount } from '../scan-file.js';

/** No compression that is read packs more than so many values into a byte; a file that claims more is a bomb. */
const MOST_PER_BYTE = 200;
const JSON_CHUNK = 0x4e4f534a;

/** Files that a .gltf file names, by the names it uses. */
export type GltfResources = ReadonlyMap<string, Uint8Array>;

/**
 * Opens a glTF 2.0 file, binary, or as text with its resources. Draco and meshopt compression are unpacked.
 * @throws GeometryError `corrupt-file`, `too-large`, `unsupported-format` (needs an extension that is not read)
 */
export async function openGltf(bytes: Uint8Array, resources?: GltfResources): Promise<Document> {
  const json = resources ? jsonOf(bytes) : jsonOf(jsonChunk(bytes));
  let size = bytes.length;
  resources?.forEach((r) => (size += r.length));
  for (const { count } of json.accessors ?? []) {
    assertCount(count, 'values in one list');
    if (count > MOST_PER_BYTE * size) {
      throw new GeometryError('corrupt-file', `The file says it holds ${count} values but has only ${size} bytes.`);
    }
  }
  try {
    const io = await readerFor(json.extensionsUsed ?? []);
    return resources
      ? await io.readJSON({ json, resources: Object.fromEntries(resources) as Record<string, Uint8Array<ArrayBuffer>> })
      : await io.readBinary(bytes as Uint8Array<ArrayBuffer>);
  } catch (error) {
    const text = error instanceof Error ? error.message : String(error);
    const extension = /Missing required extension[^"]*"(\w+)"/.exec(text)?.[1];
    if (extension) {
      throw new GeometryError(
        'unsupported-format',
        `The file needs the extension ${extension}, which is not read. Export it without.`,
      );
    }
    throw new GeometryError('corrupt-file', `The glTF file can't be read: ${text.slice(0, 300)}`);
  }
}

/** A reader that knows what the file uses; decoders are loaded only for files that need them. */
async function readerFor(used: readonly string[]): Promise<WebIO> {
  const io = new WebIO().registerExtensions([
    EXTMeshoptCompression,
    EXTTextureWebP,
    KHRDracoMeshCompression,
    KHRMaterialsUnlit,
    KHRMeshQuantization,
    KHRTextureTransform,
  ]);
  if (used.includes(KHRDracoMeshCompression.EXTENSION_NAME)) {
    const { default: draco } = await import('draco3dgltf');
    io.registerDependencies({ 'draco3d.decoder': await draco.createDecoderModule() });
  }
  if (used.includes(EXTMeshoptCompression.EXTENSION_NAME)) {
    const { MeshoptDecoder } = await import('meshoptimizer');
    await MeshoptDecoder.ready;
    io.registerDependencies({ 'meshopt.decoder': MeshoptDecoder });
  }
  return io;
}

/** The bytes of the JSON part of a binary file. */
function jsonChunk(bytes: Uint8Array): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const said = bytes.length >= 12 ? view.getUint32(8, true) : 0;
  if (said > bytes.length) {
    throw new GeometryError(
      'corrupt-file',
      `The file ends after ${bytes.length} of ${said} bytes. It was cut off; copy or export it again.`,
    );
  }
  const length = bytes.length >= 20 && view.getUint32(16, true) === JSON_CHUNK ? view.getUint32(12, true) : Infinity;
  if (20 + length > bytes.length) throw new GeometryError('corrupt-file', 'The glTF file has no readable JSON part.');
  return bytes.subarray(20, 20 + length);
}

function jsonOf(bytes: Uint8Array): GLTF.IGLTF {
  try {
    const json: unknown = JSON.parse(new TextDecoder().decode(bytes));
    if (typeof json === 'object' && json !== null && 'asset' in json) return json as GLTF.IGLTF;
  } catch {
    // Said below.
  }
  throw new GeometryError('corrupt-file', 'This is not a glTF file: its JSON part can’t be read or names no asset.');
}

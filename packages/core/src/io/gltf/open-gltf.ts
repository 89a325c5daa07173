import { BufferUtils, Logger, WebIO, type Accessor, type Document, type GLTF } from '@gltf-transform/core';
import {
  EXTMeshoptCompression,
  EXTTextureWebP,
  KHRDracoMeshCompression,
  KHRMaterialsUnlit,
  KHRMeshQuantization,
  KHRTextureTransform,
} from '@gltf-transform/extensions';
import { GeometryError } from '../../runtime/geometry-error.js';
import { allBytes, firstBytes, PartOfSource, sourceOf, type Bytes } from '../byte-source.js';
import { assertCount } from '../scan-file.js';
import { accessorValues, type AccessorValues } from './accessor-values.js';

/** No compression that is read packs more than so many values into a byte; a file that claims more is a bomb. */
const MOST_PER_BYTE = 200;
/** Nodes inside nodes; no drawing goes so deep. */
const DEEPEST = 256;
const JSON_CHUNK = 0x4e4f534a;
/** Text of so many bytes at most is read at once; numbers do not belong into it. */
const LARGEST_TEXT = 256 * 2 ** 20;
/** What the library calls the buffer that a binary file brings itself. */
const OWN_BUFFER = '@glb.bin';

/** Files that a .gltf file names, by the names it uses. */
export type GltfResources = ReadonlyMap<string, Bytes>;

export interface OpenGltf {
  /** Nodes, primitives, materials and pictures. Its accessors need not hold their numbers. */
  document: Document;
  /** The numbers of an accessor of the document. */
  valuesOf(accessor: Accessor): AccessorValues;
}

/** The parts of a file. */
interface GltfParts {
  json: GLTF.IGLTF;
  /** In the order of the file; undefined where one is missing. */
  buffers: (Bytes | undefined)[];
}

/**
 * Opens a glTF 2.0 file, binary, or as text with its resources. Its numbers are read through a window when they are asked
 * for; Draco and meshopt compression are unpacked at once.
 * @throws GeometryError `corrupt-file`, `too-large`, `unsupported-format` (needs an extension that is not read)
 */
export async function openGltf(bytes: Bytes, resources?: GltfResources): Promise<OpenGltf> {
  const { json, buffers } = resources ? textParts(bytes, resources) : binaryParts(bytes);
  const size = buffers.reduce((n, b) => n + (b ? sourceOf(b).size : 0), sourceOf(bytes).size);
  for (const { count } of json.accessors ?? []) {
    assertCount(count, 'values in one list');
    if (count > MOST_PER_BYTE * size) {
      throw new GeometryError('corrupt-file', `The file says it holds ${count} values but has only ${size} bytes.`);
    }
  }
  const used = json.extensionsUsed ?? [];
  const packed = [KHRDracoMeshCompression, EXTMeshoptCompression].some((e) => used.includes(e.EXTENSION_NAME));
  try {
    assertShallow(json.nodes ?? []);
    const io = await readerFor(used);
    const pictures = picturesOf(json, buffers, resources);
    const document = await io.readJSON(packed ? withBuffers(pictures, buffers) : withoutNumbers(pictures));
    const order = new Map(
      document
        .getRoot()
        .listAccessors()
        .map((a, i) => [a, i]),
    );
    return {
      document,
      valuesOf: (a) => (packed ? valuesInMemory(a) : accessorValues(json, order.get(a)!, buffers)),
    };
  } catch (error) {
    if (error instanceof GeometryError) throw error;
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

/** Refuses nodes nested deeply or in a circle before the library meets them: its time grows with the square of the depth. */
function assertShallow(nodes: readonly GLTF.INode[]): void {
  const parents = new Int32Array(nodes.length).fill(-1);
  nodes.forEach(({ children }, i) => children?.forEach((child) => (parents[child] = i)));
  for (let i = 0; i < nodes.length; i++) {
    let depth = 0;
    for (let at = parents[i]!; at >= 0; at = parents[at]!) {
      if (++depth > DEEPEST) {
        throw new GeometryError(
          'corrupt-file',
          `The glTF file nests more than ${DEEPEST} nodes into one another, or in a circle. Export it with fewer levels.`,
        );
      }
    }
  }
}

/** What the library takes. */
interface JsonDocument {
  json: GLTF.IGLTF;
  resources: Record<string, Uint8Array<ArrayBuffer>>;
}

/** The file with its pictures in memory, each under a name of its own. A picture that is missing is empty. */
function picturesOf(json: GLTF.IGLTF, buffers: GltfParts['buffers'], files?: GltfResources): JsonDocument {
  const resources: JsonDocument['resources'] = {};
  const images = json.images?.map((image, i) => {
    if (image.uri?.startsWith('data:')) return image;
    const view = image.bufferView === undefined ? undefined : json.bufferViews?.[image.bufferView];
    const buffer = view && buffers[view.buffer];
    const file = image.uri === undefined ? undefined : fileOf(files, image.uri);
    const name = image.uri ?? `picture ${i}`;
    resources[name] = file
      ? copyOf(file)
      : copyOf(buffer ? new PartOfSource(sourceOf(buffer), view.byteOffset ?? 0, view.byteLength) : new Uint8Array(0));
    const { bufferView: _, ...rest } = image;
    return { ...rest, uri: name };
  });
  return { json: images ? { ...json, images } : json, resources };
}

/** The same without the numbers of its accessors: they stay in the file. */
function withoutNumbers({ json, resources }: JsonDocument): JsonDocument {
  const { bufferViews: _views, buffers: _buffers, ...rest } = json;
  const accessors = json.accessors?.map(({ bufferView: _view, sparse: _sparse, ...accessor }) => accessor);
  return { json: accessors ? { ...rest, accessors } : rest, resources };
}

/** The same with all buffers in memory. */
function withBuffers({ json, resources }: JsonDocument, buffers: GltfParts['buffers']): JsonDocument {
  const held = { ...resources };
  json.buffers?.forEach(({ uri }, i) => {
    const buffer = buffers[i];
    if (buffer && !uri?.startsWith('data:')) held[uri ?? OWN_BUFFER] = copyOf(buffer);
  });
  return { json, resources: held };
}

function valuesInMemory(accessor: Accessor): AccessorValues {
  const count = accessor.getCount();
  return {
    count,
    forEach(visit) {
      const row: number[] = [];
      for (let i = 0; i < count; i++) visit(accessor.getElement(i, row), i);
    },
  };
}

const copyOf = (bytes: Bytes): Uint8Array<ArrayBuffer> => allBytes(bytes) as Uint8Array<ArrayBuffer>;

/** A file by the name that a URI gives it. */
function fileOf(files: GltfResources | undefined, uri: string): Bytes | undefined {
  const found = files?.get(uri);
  if (found || !uri.includes('%')) return found;
  try {
    return files?.get(decodeURIComponent(uri));
  } catch {
    return undefined;
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
  // What it would print is said, where it matters, to whoever brought the file.
  io.setLogger(new Logger(Logger.Verbosity.SILENT));
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

/** A text file: its buffers are in it, or beside it. */
function textParts(bytes: Bytes, resources: GltfResources): GltfParts {
  const json = jsonOf(bytes);
  const buffers = json.buffers?.map(({ uri = '' }) =>
    uri.startsWith('data:') ? BufferUtils.createBufferFromDataURI(uri) : fileOf(resources, uri),
  );
  return { json, buffers: buffers ?? [] };
}

/** A binary file: a head of twelve bytes, the JSON part, and one buffer, each with a head of eight. */
function binaryParts(bytes: Bytes): GltfParts {
  const { size } = sourceOf(bytes);
  const head = firstBytes(bytes, 20);
  const view = new DataView(head.buffer);
  const said = size >= 12 ? view.getUint32(8, true) : 0;
  if (said > size) {
    throw new GeometryError(
      'corrupt-file',
      `The file ends after ${size} of ${said} bytes. It was cut off; copy or export it again.`,
    );
  }
  const length = size >= 20 && view.getUint32(16, true) === JSON_CHUNK ? view.getUint32(12, true) : Infinity;
  if (20 + length > size) throw new GeometryError('corrupt-file', 'The glTF file has no readable JSON part.');
  const json = jsonOf(new PartOfSource(sourceOf(bytes), 20, length));
  const from = 28 + length;
  const own = from < size ? new PartOfSource(sourceOf(bytes), from, size - from) : undefined;
  const buffers = json.buffers?.map(({ uri }) => {
    if (uri?.startsWith('data:')) return BufferUtils.createBufferFromDataURI(uri);
    return uri === undefined ? own : undefined;
  });
  return { json, buffers: buffers ?? [] };
}

function jsonOf(bytes: Bytes): GLTF.IGLTF {
  const { size } = sourceOf(bytes);
  if (size > LARGEST_TEXT) {
    const megabytes = Math.round(size / 2 ** 20);
    throw new GeometryError(
      'too-large',
      `The text of this glTF file has ${megabytes} MB; at most ${LARGEST_TEXT / 2 ** 20} can be read. Export it as .glb.`,
    );
  }
  try {
    const json: unknown = JSON.parse(new TextDecoder().decode(allBytes(bytes)));
    if (typeof json === 'object' && json !== null && 'asset' in json) return json as GLTF.IGLTF;
  } catch {
    // Said below.
  }
  throw new GeometryError('corrupt-file', 'This is not a glTF file: its JSON part can’t be read or names no asset.');
}

import { WebIO, type Document, type Primitive } from '@gltf-transform/core';
import { GeometryError } from '../runtime/geometry-error.js';
import { assertCount, cleanScanFile, type ScanFile } from './scan-file.js';

/** True if the bytes begin like a binary glTF file. */
export function looksLikeGlb(bytes: Uint8Array): boolean {
  return bytes.length >= 12 && bytes[0] === 0x67 && bytes[1] === 0x6c && bytes[2] === 0x54 && bytes[3] === 0x46;
}

/** glTF counts in metres. */
const MM = 1000;
/** Kinds of primitive that are read: points, triangles, strips, fans. */
const POINTS = 0;
const TRIANGLES = 4;
const STRIP = 5;
const FAN = 6;

/**
 * Reads all points and triangles of a binary glTF 2.0 file (Khronos Group, 2021) through its scene's transforms, in
 * millimetres with Z up. Colours of points are taken, pictures are not.
 * @throws GeometryError `corrupt-file`, `unsupported-format` (compressed by an extension that is not read), `empty-input`
 */
export async function readGlb(bytes: Uint8Array): Promise<ScanFile> {
  const document = await open(bytes);
  const positions: number[] = [];
  const normals: number[] = [];
  const colors: number[] = [];
  const indices: number[] = [];
  let pictures = 0;
  const scene = document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0];
  scene?.traverse((node) => {
    const world = node.getWorldMatrix();
    for (const primitive of node.getMesh()?.listPrimitives() ?? []) {
      const at = primitive.getAttribute('POSITION');
      if (!at || ![POINTS, TRIANGLES, STRIP, FAN].includes(primitive.getMode())) continue;
      const base = positions.length / 3;
      const n = at.getCount();
      assertCount(base + n, 'points');
      const normal = primitive.getAttribute('NORMAL');
      const color = primitive.getAttribute('COLOR_0');
      if (primitive.getMaterial()?.getBaseColorTexture()) pictures++;
      const p: number[] = [];
      for (let i = 0; i < n; i++) {
        at.getElement(i, p);
        positions.push(...turned(world, p[0], p[1], p[2], 1, MM));
        if (normal) {
          normal.getElement(i, p);
          const [x, y, z] = turned(world, p[0], p[1], p[2], 0, 1);
          const l = Math.hypot(x, y, z) || 1;
          normals.push(x / l, y / l, z / l);
        }
        if (color) {
          color.getElement(i, p);
          for (let k = 0; k < 3; k++) colors.push(255 * toSrgb(Math.max(0, Math.min(1, p[k]))));
        }
      }
      for (const v of cornersOf(primitive, n)) indices.push(base + v);
    }
  });
  const notes = ['Converted from metres with Y up to millimetres with Z up.'];
  if (pictures > 0) notes.push('The file’s pictures were left out; the shape was taken.');
  return cleanScanFile({
    format: 'glb',
    positions: Float32Array.from(positions),
    ...(normals.length === positions.length ? { normals: Float32Array.from(normals) } : {}),
    ...(colors.length === positions.length ? { colors: Uint8Array.from(colors, (c) => c + 0.5) } : {}),
    ...(indices.length > 0 ? { indices: Uint32Array.from(indices) } : {}),
    companions: [],
    notes,
  });
}

async function open(bytes: Uint8Array): Promise<Document> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const said = bytes.length >= 12 ? view.getUint32(8, true) : 0;
  if (said > bytes.length) {
    throw new GeometryError(
      'corrupt-file',
      `The file ends after ${bytes.length} of ${said} bytes. It was cut off; copy or export it again.`,
    );
  }
  try {
    return await new WebIO().readBinary(bytes as Uint8Array<ArrayBuffer>);
  } catch (error) {
    const text = error instanceof Error ? error.message : String(error);
    const extension = /(KHR|EXT)_\w+/.exec(text)?.[0];
    if (extension) {
      throw new GeometryError(
        'unsupported-format',
        `The file needs the extension ${extension}, which is not read. Export it without compression.`,
      );
    }
    throw new GeometryError('corrupt-file', `The glTF file can't be read: ${text}`);
  }
}

/** Linear light as sRGB (IEC 61966-2-1), both 0–1. */
const toSrgb = (c: number): number => (c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055);

/** A place or direction (w = 0) through a node's matrix, from Y up to Z up. */
function turned(m: ArrayLike<number>, x: number, y: number, z: number, w: number, scale: number): number[] {
  const a = m[0] * x + m[4] * y + m[8] * z + m[12] * w;
  const b = m[1] * x + m[5] * y + m[9] * z + m[13] * w;
  const c = m[2] * x + m[6] * y + m[10] * z + m[14] * w;
  return [scale * a, -scale * c, scale * b];
}

/** Corners of all triangles of a primitive. */
function* cornersOf(primitive: Primitive, n: number): Generator<number> {
  const list = primitive.getIndices();
  const count = list ? list.getCount() : n;
  const at = (i: number): number => (list ? list.getScalar(i) : i);
  const mode = primitive.getMode();
  if (mode === TRIANGLES) for (let i = 0; i + 2 < count; i += 3) yield* [at(i), at(i + 1), at(i + 2)];
  if (mode === FAN) for (let i = 1; i + 1 < count; i++) yield* [at(0), at(i), at(i + 1)];
  if (mode === STRIP) {
    for (let i = 0; i + 2 < count; i++)
      yield* i % 2 === 0 ? [at(i), at(i + 1), at(i + 2)] : [at(i + 1), at(i), at(i + 2)];
  }
}

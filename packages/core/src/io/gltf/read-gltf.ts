import type { Material, Node, Primitive } from '@gltf-transform/core';
import { GeometryError } from '../../runtime/geometry-error.js';
import { decodeColor } from '../../stored/color-image.js';
import { firstBytes, type Bytes } from '../byte-source.js';
import { GrowingArray } from '../../runtime/growing-array.js';
import { colorsFromMap, type Paint } from '../map-colors.js';
import { assertCount, cleanScanFile, type ScanFile } from '../scan-file.js';
import { openGltf, type GltfResources } from './open-gltf.js';

/** True if the bytes begin like a binary glTF file. */
export function looksLikeGlb(bytes: Bytes): boolean {
  return String.fromCharCode(...firstBytes(bytes, 4)) === 'glTF';
}

/** glTF counts in metres. */
const MM = 1000;
/** Kinds of primitive that are read: points, triangles, strips, fans. */
const POINTS = 0;
const TRIANGLES = 4;
const STRIP = 5;
const FAN = 6;
/** A corner that names no point of its primitive. */
const NOWHERE = 0xffffffff;
/** Nodes inside nodes; no drawing goes so deep. */
const DEEPEST = 256;

/**
 * Reads all points and triangles of a glTF 2.0 file (Khronos Group, 2021) through its scene's transforms, in
 * millimetres with Z up, with the colours of points, else those of materials and their pictures at the points. Draco and
 * meshopt compression are read.
 * @param resources files that a .gltf file names; absent for a binary file
 * @throws GeometryError `corrupt-file`, `unsupported-format` (needs an extension that is not read), `empty-input`
 */
export async function readGltf(bytes: Uint8Array, resources?: GltfResources): Promise<ScanFile> {
  const document = await openGltf(bytes, resources);
  const reader = new GltfReader();
  const scene = document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0];
  const visit = (node: Node, depth: number): void => {
    if (depth > DEEPEST)
      throw new GeometryError('corrupt-file', `The glTF file nests more than ${DEEPEST} nodes into one another.`);
    const world = node.getWorldMatrix();
    for (const primitive of node.getMesh()?.listPrimitives() ?? []) reader.primitive(primitive, world);
    node.listChildren().forEach((child) => visit(child, depth + 1));
  };
  scene?.listChildren().forEach((node) => visit(node, 0));
  return cleanScanFile(reader.finish());
}

class GltfReader {
  private readonly positions = new GrowingArray(Float32Array);
  private readonly normals = new GrowingArray(Float32Array);
  private readonly colors = new GrowingArray(Uint8Array);
  private readonly indices = new GrowingArray(Uint32Array);
  private readonly pictures = new Map<Uint8Array, Paint | undefined>();
  private readonly notes = ['Converted from metres with Y up to millimetres with Z up.'];

  primitive(primitive: Primitive, world: ArrayLike<number>): void {
    const at = primitive.getAttribute('POSITION');
    if (!at || ![POINTS, TRIANGLES, STRIP, FAN].includes(primitive.getMode())) return;
    const base = this.positions.length / 3;
    const n = at.getCount();
    assertCount(base + n, 'points');
    const normal = primitive.getAttribute('NORMAL');
    const p: number[] = [];
    for (let i = 0; i < n; i++) {
      at.getElement(i, p);
      this.positions.push(...turned(world, p[0], p[1], p[2], 1, MM));
      if (!normal) continue;
      normal.getElement(i, p);
      const [x, y, z] = turned(world, p[0], p[1], p[2], 0, 1);
      const l = Math.hypot(x, y, z) || 1;
      this.normals.push(x / l, y / l, z / l);
    }
    const corners = Uint32Array.from(cornersOf(primitive, n));
    for (const v of corners) this.indices.push(v < n ? base + v : NOWHERE);
    this.colorsOf(primitive, n, corners);
  }

  /** Colours of the points themselves, else of what the material shows there. */
  private colorsOf(primitive: Primitive, n: number, corners: Uint32Array): void {
    const color = primitive.getAttribute('COLOR_0');
    if (color) {
      const c: number[] = [];
      for (let i = 0; i < n; i++) {
        color.getElement(i, c);
        this.colors.push(byteOf(c[0]), byteOf(c[1]), byteOf(c[2]));
      }
      return;
    }
    const material = primitive.getMaterial();
    const paint = material && this.paintOf(material);
    const uv = primitive.getAttribute(`TEXCOORD_${material?.getBaseColorTextureInfo()?.getTexCoord() ?? 0}`);
    if (!paint || corners.length === 0) return;
    const cornerUvs = uv && new Float32Array(2 * corners.length);
    const p: number[] = [];
    if (cornerUvs) {
      corners.forEach((v, i) => {
        if (v >= n) return;
        uv.getElement(v, p);
        cornerUvs.set([p[0], 1 - p[1]], 2 * i);
      });
    }
    const painted = colorsFromMap(n, corners, cornerUvs ?? undefined, () => paint);
    for (let i = 0; i < painted.length; i += 3) this.colors.push(painted[i], painted[i + 1], painted[i + 2]);
  }

  private paintOf(material: Material): Paint | undefined {
    const image = material.getBaseColorTexture()?.getImage();
    if (!image) {
      const [r, g, b] = material.getBaseColorFactor();
      return r === 1 && g === 1 && b === 1 ? undefined : [byteOf(r), byteOf(g), byteOf(b)];
    }
    if (!this.pictures.has(image)) {
      const name = material.getBaseColorTexture()!.getURI() || 'A picture';
      try {
        this.pictures.set(image, decodeColor(image, name));
      } catch {
        this.notes.push(`${name} can't be read as a PNG or JPEG picture: the shape was taken without it.`);
        this.pictures.set(image, undefined);
      }
    }
    return this.pictures.get(image);
  }

  finish(): ScanFile {
    return {
      format: 'gltf',
      positions: this.positions.toArray(),
      ...(this.normals.length === this.positions.length ? { normals: this.normals.toArray() } : {}),
      ...(this.colors.length === this.positions.length ? { colors: this.colors.toArray() } : {}),
      ...(this.indices.length > 0 ? { indices: this.indices.toArray() } : {}),
      companions: [],
      inMillimetres: true,
      notes: this.notes,
    };
  }
}

/** Linear light as an sRGB byte (IEC 61966-2-1). */
function byteOf(linear: number): number {
  const c = Math.max(0, Math.min(1, linear));
  return Math.floor(255 * (c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055) + 0.5);
}

/** A place or direction (w = 0) through a node's matrix, from Y up to Z up. */
function turned(
  m: ArrayLike<number>,
  x: number,
  y: number,
  z: number,
  w: number,
  scale: number,
): [number, number, number] {
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

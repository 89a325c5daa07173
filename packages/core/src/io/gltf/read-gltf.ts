import type { Accessor, Material, Node, Primitive } from '@gltf-transform/core';
import { srgbOfLight } from '../../geometry/srgb.js';
import { decodeColor } from '../../stored/color-image.js';
import { firstBytes, type Bytes } from '../byte-source.js';
import { pixelAt, type Paint } from '../map-colors.js';
import { assertCount, cleanScanFile, type ScanFile } from '../scan-file.js';
import type { AccessorValues } from './accessor-values.js';
import { GeometryError } from '../../runtime/geometry-error.js';
import { openGltf, type GltfResources, type OpenGltf } from './open-gltf.js';

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

/**
 * Reads all points and triangles of a glTF 2.0 file (Khronos Group, 2021) through its scene's transforms, in
 * millimetres with Z up, with the colours of points, else those of materials and their pictures at the points. Draco and
 * meshopt compression are read. Without compression the file is read through a window.
 * @param resources files that a .gltf file names; absent for a binary file
 * @throws GeometryError `corrupt-file`, `unsupported-format` (needs an extension that is not read), `empty-input`,
 *   `too-large`
 */
export async function readGltf(bytes: Bytes, resources?: GltfResources): Promise<ScanFile> {
  const file = await openGltf(bytes, resources);
  try {
    return scanOf(file);
  } catch (error) {
    if (error instanceof GeometryError) throw error;
    // Of a kind of numbers that there is not, or behind the end of what is there.
    throw new GeometryError('corrupt-file', 'The glTF file names numbers that are not in it. Export it again.');
  }
}

function scanOf(file: OpenGltf): ScanFile {
  const parts: Part[] = [];
  const root = file.document.getRoot();
  const visit = (node: Node): void => {
    const world = node.getWorldMatrix();
    for (const primitive of node.getMesh()?.listPrimitives() ?? []) {
      const part = partOf(file, primitive, world);
      if (part) parts.push(part);
    }
    node.listChildren().forEach(visit);
  };
  (root.getDefaultScene() ?? root.listScenes()[0])?.listChildren().forEach(visit);
  return cleanScanFile(new GltfReader(parts).read());
}

/** A primitive where a node puts it. */
interface Part {
  primitive: Primitive;
  world: ArrayLike<number>;
  positions: AccessorValues;
  normals?: AccessorValues;
  colors?: AccessorValues;
  corners?: AccessorValues;
  /** Map coordinates, where a material may show a picture. */
  uvs?: AccessorValues;
  triangles: number;
}

function partOf(file: OpenGltf, primitive: Primitive, world: ArrayLike<number>): Part | undefined {
  const values = (a: Accessor | null): AccessorValues | undefined => (a ? file.valuesOf(a) : undefined);
  const positions = values(primitive.getAttribute('POSITION'));
  const mode = primitive.getMode();
  if (!positions || ![POINTS, TRIANGLES, STRIP, FAN].includes(mode)) return undefined;
  const corners = values(primitive.getIndices());
  const count = corners?.count ?? positions.count;
  const map = primitive.getMaterial()?.getBaseColorTextureInfo()?.getTexCoord() ?? 0;
  return {
    primitive,
    world,
    positions,
    normals: values(primitive.getAttribute('NORMAL')),
    colors: values(primitive.getAttribute('COLOR_0')),
    corners,
    uvs: values(primitive.getAttribute(`TEXCOORD_${map}`)),
    triangles: mode === POINTS ? 0 : mode === TRIANGLES ? Math.floor(count / 3) : Math.max(0, count - 2),
  };
}

/** Puts the parts of a file behind one another. */
class GltfReader {
  private readonly positions: Float32Array;
  private readonly normals?: Float32Array;
  private readonly colors: Uint8Array;
  private readonly indices: Uint32Array;
  private readonly pictures = new Map<Uint8Array, Paint | undefined>();
  private readonly notes = ['Converted from metres with Y up to millimetres with Z up.'];
  /** Points that have a colour. */
  private colored = 0;

  constructor(private readonly parts: readonly Part[]) {
    const points = parts.reduce((n, p) => n + p.positions.count, 0);
    const triangles = parts.reduce((n, p) => n + p.triangles, 0);
    assertCount(points, 'points');
    assertCount(triangles, 'triangles');
    this.positions = new Float32Array(3 * points);
    this.colors = new Uint8Array(3 * points);
    this.indices = new Uint32Array(3 * triangles);
    if (parts.every((p) => p.normals)) this.normals = new Float32Array(3 * points);
  }

  read(): ScanFile {
    let base = 0;
    let corner = 0;
    for (const part of this.parts) {
      this.readPart(part, base, corner);
      base += part.positions.count;
      corner += 3 * part.triangles;
    }
    return {
      format: 'gltf',
      positions: this.positions,
      ...(this.normals ? { normals: this.normals } : {}),
      ...(base > 0 && this.colored === base ? { colors: this.colors } : {}),
      ...(corner > 0 ? { indices: this.indices } : {}),
      companions: [],
      inMillimetres: true,
      notes: this.notes,
    };
  }

  private readPart(part: Part, base: number, corner: number): void {
    const { world, positions, normals } = part;
    const n = positions.count;
    positions.forEach((v, i) => turn(world, v, 1, MM, this.positions, 3 * (base + i)));
    if (this.normals) {
      const out = this.normals;
      normals!.forEach((v, i) => {
        if (i >= n) return;
        const at = 3 * (base + i);
        turn(world, v, 0, 1, out, at);
        const l = Math.hypot(out[at], out[at + 1], out[at + 2]) || 1;
        for (let k = 0; k < 3; k++) out[at + k] /= l;
      });
    }
    let at = corner;
    forEachCorner(part, (v) => (this.indices[at++] = v < n ? base + v : NOWHERE));
    this.readColors(part, base);
  }

  /** Colours of the points themselves, else of what the material shows there. */
  private readColors({ primitive, positions, colors, uvs, triangles }: Part, base: number): void {
    const n = positions.count;
    const out = this.colors;
    if (colors) {
      colors.forEach((c, i) => {
        if (i < n) for (let k = 0; k < 3; k++) out[3 * (base + i) + k] = byteOf(c[k]);
      });
      this.colored += n;
      return;
    }
    const material = primitive.getMaterial();
    const paint = material && this.paintOf(material);
    if (!paint || triangles === 0) return;
    this.colored += n;
    out.fill(128, 3 * base, 3 * (base + n));
    if (!('data' in paint)) for (let i = 3 * base; i < 3 * (base + n); i++) out[i] = paint[(i - 3 * base) % 3];
    else {
      uvs?.forEach(([u, v], i) => {
        if (i >= n) return;
        const pixel = 3 * pixelAt(paint, u, 1 - v);
        for (let k = 0; k < 3; k++) out[3 * (base + i) + k] = paint.data[pixel + k];
      });
    }
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
        const why = image.length === 0 ? 'is missing' : "can't be read as a PNG or JPEG picture";
        this.notes.push(`${name} ${why}: the shape was taken without it.`);
        this.pictures.set(image, undefined);
      }
    }
    return this.pictures.get(image);
  }
}

/** Linear light as an sRGB byte. */
const byteOf = (linear: number): number => Math.floor(srgbOfLight(linear) + 0.5);

/** Writes a place or direction (w = 0) through a node's matrix, from Y up to Z up. */
function turn(
  m: ArrayLike<number>,
  [x, y, z]: readonly number[],
  w: number,
  scale: number,
  out: Float32Array,
  at: number,
): void {
  out[at] = scale * (m[0] * x + m[4] * y + m[8] * z + m[12] * w);
  out[at + 1] = -scale * (m[2] * x + m[6] * y + m[10] * z + m[14] * w);
  out[at + 2] = scale * (m[1] * x + m[5] * y + m[9] * z + m[13] * w);
}

/** Goes through the corners of all triangles of a part. */
function forEachCorner({ primitive, positions, corners, triangles }: Part, visit: (v: number) => void): void {
  const mode = primitive.getMode();
  if (triangles === 0) return;
  // The two corners that a strip goes on from; a fan goes on from its first and its last.
  let a = 0;
  let b = 0;
  const next = (v: number, i: number): void => {
    if (mode === TRIANGLES) {
      if (i < 3 * triangles) visit(v);
      return;
    }
    if (i === 0) a = v;
    else if (i > 1) {
      const flipped = mode === STRIP && i % 2 === 1;
      visit(flipped ? b : a);
      visit(flipped ? a : b);
      visit(v);
    }
    if (mode === STRIP && i > 1) a = b;
    if (i > 0) b = v;
  };
  if (corners) corners.forEach(([v], i) => next(v, i));
  else for (let i = 0; i < positions.count; i++) next(i, i);
}

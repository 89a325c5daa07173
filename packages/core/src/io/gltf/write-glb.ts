import { Document, WebIO, type Primitive, type Texture } from '@gltf-transform/core';
import { KHRDracoMeshCompression } from '@gltf-transform/extensions';
import { KNOWN_ATTRIBUTES, type KnownAttribute } from '../../geometry/vertex-knowledge.js';
import { LIGHT_OF_SRGB } from '../../geometry/srgb.js';
import type { BakedMap, LightModel } from '../../geometry/light-model.js';
import type { ColorImage, TexturedMesh, TriangleMesh } from '../../geometry/triangle-mesh.js';
import { encodeColorJpeg, encodeColorPng } from '../../stored/color-image.js';
import { vertexCount, vertexNormals } from '../../geometry/triangle-mesh.js';

export interface GlbOptions {
  /** Quality of the map as JPEG, 1–100; 0 writes it as PNG, without loss. */
  jpegQuality: number;
  /** Packs the triangles with Draco: a tenth of the bytes, positions within a 65,000th of the size. */
  draco: boolean;
}

/** Attributes that are numbers of something with a name. */
const NAMED: readonly KnownAttribute['name'][] = ['scanBits', 'bestScan', 'coloredBy'];

export const GLB_DEFAULTS: GlbOptions = { jpegQuality: 0, draco: false };

/** Of a surface whose gloss nobody knows. */
const ROUGHNESS = 0.8;

/** Bits that Draco keeps of a number: of positions enough for a 65,000th of the size. */
const DRACO_BITS = { POSITION: 16, NORMAL: 10, TEX_COORD: 13, COLOR: 8, GENERIC: 10 };

/**
 * Writes a binary glTF 2.0 file (Khronos Group, 2021, glTF 2.0 specification). glTF lengths are metres and Y is up: the
 * coordinates are converted, so that every reader gets the true size. What the vertices know comes with them as
 * application-specific attributes (`_INVENTED`, `_SCAN_COUNT`, `_EXPECTED_ERROR`, …), lengths in mm, -1 where nothing was measured.
 * A light model brings its tangents, its map of normals, and openness to light in the red of the map that also holds roughness.
 */
export async function writeGlb(
  mesh: TriangleMesh | TexturedMesh | LightModel,
  name: string,
  options: Partial<GlbOptions> = {},
): Promise<Uint8Array> {
  const { jpegQuality, draco } = { ...GLB_DEFAULTS, ...options };
  const doc = new Document();
  doc.getRoot().getAsset().generator = 'Amber Knit';
  const buffer = doc.createBuffer();
  const textured = 'cornerUvs' in mesh;
  const split = textured ? splitAtSeams(mesh) : undefined;
  const source = split ? split.oldFromNew : undefined;
  const n = source ? source.length : vertexCount(mesh);
  const normals = mesh.normals ?? vertexNormals(mesh);
  const take = (i: number): number => (source ? source[i] : i);

  const position = new Float32Array(3 * n);
  const normal = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const v = 3 * take(i);
    toGltf(mesh.positions, v, 0.001, position, 3 * i);
    toGltf(normals, v, 1, normal, 3 * i);
  }
  const accessor = (
    type: 'VEC4' | 'VEC3' | 'VEC2' | 'SCALAR',
    array: Float32Array | Uint8Array | Uint32Array,
    normalized = false,
  ) =>
    doc
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>)
      .setNormalized(normalized)
      .setBuffer(buffer);
  const primitive: Primitive = doc
    .createPrimitive()
    .setIndices(accessor('SCALAR', split ? split.indices : mesh.indices))
    .setAttribute('POSITION', accessor('VEC3', position))
    .setAttribute('NORMAL', accessor('VEC3', normal));
  for (const { name: attribute, ply } of KNOWN_ATTRIBUTES) {
    const known = mesh[attribute];
    // Which scans and pictures it was says nothing without their names.
    if (!known || NAMED.includes(attribute)) continue;
    // Floats: a lone byte would need padding that not every reader expects. Numbers must be finite.
    const values = Float32Array.from({ length: n }, (_, i) => (known[take(i)] >= 0 ? known[take(i)] : -1));
    primitive.setAttribute(`_${ply.toUpperCase()}`, accessor('SCALAR', values));
  }
  const material = doc.createMaterial('surface').setRoughnessFactor(ROUGHNESS).setMetallicFactor(0);
  if (textured && split) {
    primitive.setAttribute('TEXCOORD_0', accessor('VEC2', split.uvs));
    const picture = (called: string, image: ColorImage): Texture =>
      doc
        .createTexture(called)
        .setMimeType(jpegQuality ? 'image/jpeg' : 'image/png')
        .setImage(
          (jpegQuality ? encodeColorJpeg(image, jpegQuality) : encodeColorPng(image)) as Uint8Array<ArrayBuffer>,
        );
    material.setBaseColorTexture(picture('color', mesh.texture));
    if ('maps' in mesh) {
      const tangent = new Float32Array(4 * n);
      split.corner.forEach((c, i) => toGltfTangent(mesh.cornerTangents, 4 * c, tangent, 4 * i));
      primitive.setAttribute('TANGENT', accessor('VEC4', tangent));
      const normals = mesh.maps.find((m) => m.kind === 'normal');
      if (normals) material.setNormalTexture(picture('normal', normals as ColorImage));
      const open = mesh.maps.find((m) => m.kind === 'occlusion');
      if (open) {
        const orm = picture('occlusion-roughness-metal', occlusionRoughnessMetal(open));
        material.setOcclusionTexture(orm).setMetallicRoughnessTexture(orm).setRoughnessFactor(1);
      }
    }
  } else if (mesh.colors) {
    // COLOR_0 is linear light by the specification.
    const linear = new Float32Array(3 * n);
    for (let i = 0; i < n; i++)
      for (let k = 0; k < 3; k++) linear[3 * i + k] = LIGHT_OF_SRGB[mesh.colors[3 * take(i) + k]];
    primitive.setAttribute('COLOR_0', accessor('VEC3', linear));
  }
  primitive.setMaterial(material);
  const node = doc.createNode(name).setMesh(doc.createMesh(name).addPrimitive(primitive));
  const scene = doc.createScene(name).addChild(node);
  doc.getRoot().setDefaultScene(scene);
  const io = new WebIO();
  if (draco) {
    const { default: library } = await import('draco3dgltf');
    io.registerExtensions([KHRDracoMeshCompression]).registerDependencies({
      'draco3d.encoder': await library.createEncoderModule(),
    });
    doc.createExtension(KHRDracoMeshCompression).setRequired(true).setEncoderOptions({ quantizationBits: DRACO_BITS });
  }
  return io.writeBinary(doc);
}

/** Z up to Y up: (x, y, z) → (x, z, −y). */
function toGltf(from: Float32Array, at: number, scale: number, to: Float32Array, out: number): void {
  to[out] = from[at] * scale;
  to[out + 1] = from[at + 2] * scale;
  to[out + 2] = -from[at + 1] * scale;
}

/** As `toGltf`, with the bitangent's sign: turning does not change it. */
function toGltfTangent(from: Float32Array, at: number, to: Float32Array, out: number): void {
  toGltf(from, at, 1, to, out);
  const length = Math.hypot(to[out], to[out + 1], to[out + 2]) || 1;
  for (let k = 0; k < 3; k++) to[out + k] /= length;
  to[out + 3] = from[at + 3];
}

/** Openness to light in red, one roughness in green, no metal in blue, as glTF has them in one map. */
function occlusionRoughnessMetal({ width, height, data }: BakedMap): ColorImage {
  const out = new Uint8Array(3 * width * height);
  for (let i = 0; i < width * height; i++) {
    out[3 * i] = data[i];
    out[3 * i + 1] = Math.round(255 * ROUGHNESS);
  }
  return { width, height, data: out };
}

/** A mesh with a vertex for each corner that differs, and what these were before. */
export interface SplitMesh {
  oldFromNew: Uint32Array;
  /** One of the corners that became the vertex. */
  corner: Uint32Array;
  uvs: Float32Array;
  indices: Uint32Array;
}

/** One vertex for each vertex, map coordinate and, where there are some, tangent. glTF's map origin is the upper left. */
export function splitAtSeams(mesh: TexturedMesh | LightModel): SplitMesh {
  const known = new Map<number, number[]>();
  const oldFromNew: number[] = [];
  const corner: number[] = [];
  const uvs: number[] = [];
  const tangents = 'maps' in mesh ? mesh.cornerTangents : undefined;
  const indices = new Uint32Array(mesh.indices.length);
  for (let c = 0; c < indices.length; c++) {
    const v = mesh.indices[c];
    const u = mesh.cornerUvs[2 * c];
    const w = 1 - mesh.cornerUvs[2 * c + 1];
    let list = known.get(v);
    if (!list) known.set(v, (list = []));
    let id = list.find(
      (i) =>
        Math.abs(uvs[2 * i] - u) < 1e-7 &&
        Math.abs(uvs[2 * i + 1] - w) < 1e-7 &&
        !(tangents && isOtherTangent(tangents, corner[i], c)),
    );
    if (id === undefined) {
      id = oldFromNew.length;
      oldFromNew.push(v);
      corner.push(c);
      uvs.push(u, w);
      list.push(id);
    }
    indices[c] = id;
  }
  return {
    oldFromNew: Uint32Array.from(oldFromNew),
    corner: Uint32Array.from(corner),
    uvs: Float32Array.from(uvs),
    indices,
  };
}

/** Two corners' tangents differ: by the sign, or by more than rounding. */
const isOtherTangent = (t: Float32Array, a: number, b: number): boolean =>
  t[4 * a + 3] !== t[4 * b + 3] ||
  Math.abs(t[4 * a] - t[4 * b]) + Math.abs(t[4 * a + 1] - t[4 * b + 1]) + Math.abs(t[4 * a + 2] - t[4 * b + 2]) > 1e-3;

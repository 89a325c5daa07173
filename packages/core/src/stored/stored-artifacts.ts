import { GeometryError } from '../runtime/geometry-error.js';
import { bundleParts, decodeBundle, encodeBundle, type Column, type TableData } from '../bundle/index.js';
import type { DepthFrame, Intrinsics } from '../geometry/depth-frame.js';
import { boundsOf, type PointCloud } from '../geometry/point-cloud.js';
import type { TexturedMesh, TriangleMesh } from '../geometry/triangle-mesh.js';
import type { BakedKind, FailedPlace, LightModel } from '../geometry/light-model.js';
import { vertexCount, vertexNormals } from '../geometry/triangle-mesh.js';
import { KNOWN_ATTRIBUTES, KNOWN_NAMES } from '../geometry/vertex-knowledge.js';
import { decodeColor, encodeColorPng } from './color-image.js';
import { decodeMapPng, encodeMapPng } from './map-png.js';
import { fromOctahedral, toOctahedral } from './octahedral.js';

/**
 * An order in which every prefix is an even subsample: points sorted along a space-filling (Morton) curve, then taken
 * in bit-reversed order (van der Corput sequence). O(n).
 */
export function progressiveOrder(positions: Float32Array): Uint32Array {
  const n = positions.length / 3;
  const { min, max } = boundsOf(positions);
  const scale = 511 / Math.max(1e-9, max[0] - min[0], max[1] - min[1], max[2] - min[2]);
  const codes = new Uint32Array(n);
  for (let i = 0; i < n; i++) {
    codes[i] =
      spread9(Math.floor((positions[3 * i] - min[0]) * scale)) |
      (spread9(Math.floor((positions[3 * i + 1] - min[1]) * scale)) << 1) |
      (spread9(Math.floor((positions[3 * i + 2] - min[2]) * scale)) << 2);
  }
  const sorted = orderByCode(codes);
  let top = 1;
  while (top < n) top *= 2;
  // The codes have done their work.
  const out = codes;
  // Counts up in bit-reversed numbers: one is added at the highest bit, carries run down.
  for (let at = 0, reversed = 0; at < n;) {
    if (reversed < n) out[at++] = sorted[reversed];
    let bit = top >> 1;
    while (bit > 0 && reversed & bit) {
      reversed ^= bit;
      bit >>= 1;
    }
    reversed |= bit;
  }
  return out;
}

/** The nine low bits of a number, two zeros between each. */
function spread9(v: number): number {
  let x = v & 511;
  x = (x | (x << 16)) & 0x30000ff;
  x = (x | (x << 8)) & 0x300f00f;
  x = (x | (x << 4)) & 0x30c30c3;
  return (x | (x << 2)) & 0x9249249;
}

/** Codes are sorted by nine bits at a time. */
const DIGIT = 9;
const DIGITS = 1 << DIGIT;

/**
 * Numbers 0 … n − 1 sorted by their codes of 27 bits, equal ones as they come. Laid into buckets by the highest bits
 * first, then a radix sort of each bucket, so that little more room than the result is taken. O(n).
 */
function orderByCode(codes: Uint32Array): Uint32Array {
  const order = new Uint32Array(codes.length);
  const start = new Uint32Array(DIGITS + 1);
  for (let i = 0; i < codes.length; i++) start[(codes[i] >>> (2 * DIGIT)) + 1]++;
  let largest = 0;
  for (let d = 0; d < DIGITS; d++) {
    largest = Math.max(largest, start[d + 1]);
    start[d + 1] += start[d];
  }
  const next = start.slice();
  for (let i = 0; i < codes.length; i++) order[next[codes[i] >>> (2 * DIGIT)]++] = i;
  // Keys travel with their numbers, so that both are read one after another.
  const room = [0, 1, 2, 3].map(() => new Uint32Array(largest)) as [Uint32Array, Uint32Array, Uint32Array, Uint32Array];
  for (let d = 0; d < DIGITS; d++) sortBucket(order.subarray(start[d], start[d + 1]), codes, room);
  return order;
}

function sortBucket(
  bucket: Uint32Array,
  codes: Uint32Array,
  [keys, numbers, nextKeys, nextNumbers]: [Uint32Array, Uint32Array, Uint32Array, Uint32Array],
): void {
  const n = bucket.length;
  if (n < 2) return;
  for (let i = 0; i < n; i++) keys[i] = codes[bucket[i]];
  digitPass(keys, bucket, nextKeys, nextNumbers, n, 0);
  digitPass(nextKeys, nextNumbers, keys, numbers, n, DIGIT);
  for (let i = 0; i < n; i++) bucket[i] = numbers[i];
}

/** One pass of the radix sort: the first n numbers in the order of nine bits of their keys. */
function digitPass(
  keys: Uint32Array,
  numbers: Uint32Array,
  nextKeys: Uint32Array,
  nextNumbers: Uint32Array,
  n: number,
  shift: number,
): void {
  const start = new Uint32Array(DIGITS + 1);
  for (let i = 0; i < n; i++) start[((keys[i] >>> shift) & (DIGITS - 1)) + 1]++;
  for (let d = 1; d < DIGITS; d++) start[d] += start[d - 1];
  for (let i = 0; i < n; i++) {
    const at = start[(keys[i] >>> shift) & (DIGITS - 1)]++;
    nextKeys[at] = keys[i];
    nextNumbers[at] = numbers[i];
  }
}

/** Extra facts stored with a cloud. */
export interface CloudMeta {
  viewpoints?: number[][];
  /** Names of frames that are not used. */
  droppedFrames?: string[];
}

/** Encodes a cloud in progressive order, with its optional backdrop. */
export function encodeCloud(cloud: PointCloud, backdrop?: Float32Array, meta: CloudMeta = {}): Uint8Array {
  return encodeBundle('cloud', { ...meta, bounds: boundsOf(cloud.positions) }, cloudTables(cloud, backdrop));
}

/** The same bytes one part after another, for clouds that should not be held twice. A part is valid until the next. */
export function cloudParts(cloud: PointCloud, backdrop?: Float32Array, meta: CloudMeta = {}): Generator<Uint8Array> {
  return bundleParts('cloud', { ...meta, bounds: boundsOf(cloud.positions) }, cloudTables(cloud, backdrop));
}

function cloudTables({ positions, colors, normals }: PointCloud, backdrop?: Float32Array): TableData[] {
  const order = progressiveOrder(positions);
  const columns: TableData['columns'] = [{ name: 'position', data: positions, size: 3 }];
  if (colors) columns.push({ name: 'color', data: colors, size: 3 });
  if (normals) columns.push({ name: 'normal', data: toOctahedral(normals), size: 2 });
  const tables: TableData[] = [{ name: 'points', rows: positions.length / 3, columns, order }];
  if (backdrop?.length)
    tables.push({
      name: 'backdrop',
      rows: backdrop.length / 3,
      columns: [{ name: 'position', data: backdrop, size: 3 }],
    });
  return tables;
}

/** Decodes a cloud; its `rows` count the points as they are stored. */
export function decodeCloud(bytes: Uint8Array): { cloud: PointCloud; backdrop?: Float32Array; meta: CloudMeta } {
  const { header, tables } = decodeBundle(bytes);
  const t = tables.points ?? {};
  const positions = (t.position as Float32Array) ?? new Float32Array(0);
  const rows = new Uint32Array(positions.length / 3);
  for (let i = 0; i < rows.length; i++) rows[i] = i;
  return {
    cloud: {
      positions,
      rows,
      colors: t.color as Uint8Array | undefined,
      normals: t.normal && normalsOf(t.normal),
    },
    backdrop: tables.backdrop?.position as Float32Array | undefined,
    meta: header.meta as CloudMeta,
  };
}

/** Normals from the column that holds them: packed, or as older versions stored them. */
export function normalsOf(column: Column): Float32Array {
  return column instanceof Uint16Array ? fromOctahedral(column) : (column as Float32Array);
}

/** Encodes a mesh, a textured mesh or a light model; `coarse` are the triangles of a light version over the same vertices. */
export function encodeMesh(mesh: TriangleMesh | TexturedMesh | LightModel, coarse?: Uint32Array): Uint8Array {
  const columns: TableData['columns'] = [{ name: 'position', data: mesh.positions, size: 3 }];
  if (mesh.colors) columns.push({ name: 'color', data: mesh.colors, size: 3 });
  for (const { name } of KNOWN_ATTRIBUTES) {
    const data = mesh[name];
    if (data) columns.push({ name, data, size: data.length / vertexCount(mesh) });
  }
  if (mesh.normals) columns.push({ name: 'normal', data: mesh.normals, size: 3 });
  const tables: TableData[] = [{ name: 'vertices', rows: vertexCount(mesh), columns }];
  if (coarse)
    tables.push({ name: 'coarse', rows: coarse.length / 3, columns: [{ name: 'index', data: coarse, size: 3 }] });
  const faces: TableData['columns'] = [{ name: 'index', data: mesh.indices, size: 3 }];
  const meta: Record<string, unknown> = { bounds: boundsOf(mesh.positions), triangles: mesh.indices.length / 3 };
  for (const names of KNOWN_NAMES) if (mesh[names]) meta[names] = mesh[names];
  if ('cornerUvs' in mesh) {
    faces.push({ name: 'uv', data: mesh.cornerUvs, size: 6 });
    if ('maps' in mesh) faces.push({ name: 'tangent', data: mesh.cornerTangents, size: 12 });
    tables.push({ name: 'faces', rows: mesh.indices.length / 3, columns: faces });
    tables.push(pictureTable('texture', encodeColorPng(mesh.texture)));
    if (!('maps' in mesh)) return encodeBundle('model', meta, tables);
    for (const map of mesh.maps) tables.push(pictureTable(`map ${map.kind}`, encodeMapPng(map)));
    meta.maps = mesh.maps.map(({ kind, range }): MapMeta => ({ kind, ...(range ? { range } : {}) }));
    meta.failed = mesh.failed;
    return encodeBundle('light', meta, tables);
  }
  tables.push({ name: 'faces', rows: mesh.indices.length / 3, columns: faces });
  return encodeBundle('mesh', meta, tables);
}

/** A packed picture as a table of its own, in one page. */
function pictureTable(name: string, png: Uint8Array): TableData {
  return { name, rows: png.length, pageRows: png.length, columns: [{ name: 'png', data: png, size: 1 }] };
}

interface MapMeta {
  kind: BakedKind;
  range?: [number, number];
}

export function decodeMesh(bytes: Uint8Array): TriangleMesh | TexturedMesh | LightModel {
  const { header, tables } = decodeBundle(bytes);
  const v = tables.vertices ?? {};
  const mesh: TriangleMesh = {
    positions: (v.position as Float32Array) ?? new Float32Array(0),
    indices: (tables.faces?.index as Uint32Array) ?? new Uint32Array(0),
  };
  if (v.color) mesh.colors = v.color as Uint8Array;
  for (const { name } of KNOWN_ATTRIBUTES) if (v[name]) Object.assign(mesh, { [name]: v[name] });
  for (const names of KNOWN_NAMES) if (header.meta[names]) Object.assign(mesh, { [names]: header.meta[names] });
  if (v.normal) mesh.normals = v.normal as Float32Array;
  if (header.kind !== 'model' && header.kind !== 'light') return mesh;
  const textured: TexturedMesh = {
    ...mesh,
    cornerUvs: tables.faces.uv as Float32Array,
    texture: decodeColor(tables.texture.png as Uint8Array, 'the map'),
  };
  if (header.kind === 'model') return textured;
  const light: LightModel = {
    ...textured,
    normals: mesh.normals ?? vertexNormals(mesh),
    cornerTangents: tables.faces.tangent as Float32Array,
    maps: (header.meta.maps as MapMeta[]).map(({ kind, range }) => ({
      kind,
      ...decodeMapPng(tables[`map ${kind}`].png as Uint8Array, kind),
      ...(range ? { range } : {}),
    })),
    failed: header.meta.failed as FailedPlace[],
  };
  return light;
}

interface FrameMeta {
  name: string;
  camera: Intrinsics;
  unit: number;
  scanFromSensor: number[];
  color?: Intrinsics;
  drift?: number;
}

/**
 * Encodes depth frames: depth as 16-bit multiples of a unit (at most 0.01 mm for ranges below 655 mm), colour as PNG.
 * @param plain leaves the colours unpacked, where time is dearer than room: packing takes about a hundred times as long
 */
export function encodeFrames(frames: DepthFrame[], plain = false): Uint8Array {
  const meta: FrameMeta[] = [];
  const tables: TableData[] = [];
  frames.forEach((f, i) => {
    let farthest = 0;
    for (const z of f.depth) if (z > farthest) farthest = z;
    const unit = Math.max(0.01, farthest / 65_000);
    const depth = new Uint16Array(f.depth.length);
    for (let k = 0; k < depth.length; k++) if (f.depth[k] > 0) depth[k] = f.depth[k] / unit + 0.5;
    tables.push({
      name: `depth ${i}`,
      rows: depth.length,
      pageRows: depth.length,
      columns: [{ name: 'z', data: depth, size: 1 }],
    });
    if (f.color) {
      const { image } = f.color;
      const name = plain ? 'rgb' : 'png';
      const data = plain ? new Uint8Array(image.data) : encodeColorPng(image);
      const rows = data.length;
      tables.push({ name: `color ${i}`, rows, pageRows: rows, columns: [{ name, data, size: 1 }] });
    }
    meta.push({
      name: f.name,
      camera: f.camera,
      unit,
      scanFromSensor: Array.from(f.scanFromSensor),
      color: f.color?.camera,
      drift: f.drift,
    });
  });
  return encodeBundle('frames', { frames: meta }, tables);
}

/**
 * Decodes stored frames; depth and pictures are unpacked when first asked for, since most steps need only the poses.
 * @param hold whether pictures stay unpacked once they were asked for; else they are unpacked each time
 */
export function decodeFrames(bytes: Uint8Array, hold = true): DepthFrame[] {
  const { header, tables } = decodeBundle(bytes);
  return (header.meta.frames as FrameMeta[]).map(
    (m, i) =>
      new StoredFrame(m, tables[`depth ${i}`].z as Uint16Array, (tables[`color ${i}`] ?? {}) as StoredPicture, hold),
  );
}

/** A picture as it lies in a file: packed or plain, or none. */
interface StoredPicture {
  png?: Uint8Array;
  rgb?: Uint8Array;
}

class StoredFrame implements DepthFrame {
  readonly name: string;
  readonly camera: Intrinsics;
  readonly scanFromSensor: Float64Array;
  readonly drift?: number;
  private unpackedDepth?: Float32Array;
  private unpackedColor?: DepthFrame['color'];

  constructor(
    private readonly meta: FrameMeta,
    private readonly packedDepth: Uint16Array,
    private readonly picture: StoredPicture,
    private readonly hold: boolean,
  ) {
    this.name = meta.name;
    this.camera = meta.camera;
    this.scanFromSensor = Float64Array.from(meta.scanFromSensor);
    if (meta.drift !== undefined) this.drift = meta.drift;
  }

  get depth(): Float32Array {
    const depth = this.unpackedDepth ?? Float32Array.from(this.packedDepth, (v) => v * this.meta.unit);
    if (this.hold) this.unpackedDepth = depth;
    return depth;
  }

  get color(): DepthFrame['color'] {
    const { png, rgb } = this.picture;
    const camera = this.meta.color;
    if (!camera || !(png || rgb)) return undefined;
    if (rgb && rgb.length !== 3 * camera.width * camera.height)
      throw new GeometryError('corrupt-file', `The picture of ${this.meta.name} is not as large as it says.`);
    if (rgb) return { camera, image: { width: camera.width, height: camera.height, data: rgb } };
    const color = this.unpackedColor ?? { camera, image: decodeColor(png!, this.meta.name) };
    if (this.hold) this.unpackedColor = color;
    return color;
  }
}

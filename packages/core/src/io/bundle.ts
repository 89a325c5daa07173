import type { DepthFrame, Intrinsics } from '../geometry/depth-frame.js';
import { boundsOf, selectPoints, type PointCloud } from '../geometry/point-cloud.js';
import type { TexturedMesh, TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexCount } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { decodeColor, encodeColorPng } from './rgbd.js';

/**
 * The project's own binary layout of typed arrays, made for streaming (docs/formats.md):
 * "AKB1", header length (uint32 little-endian), header (JSON, padded to 8 bytes), then the tables one after another.
 * A table's rows are stored in pages; inside a page its columns follow one another, each padded to 4 bytes. So any
 * prefix of the file that ends at a page can be shown.
 */
export interface BundleTable {
  name: string;
  rows: number;
  pageRows: number;
  columns: { name: string; type: 'f32' | 'u8' | 'u16' | 'u32'; size: number }[];
}

export interface BundleHeader {
  kind: 'cloud' | 'mesh' | 'model' | 'frames';
  meta: Record<string, unknown>;
  tables: BundleTable[];
}

type Column = Float32Array | Uint8Array | Uint16Array | Uint32Array;
const BYTES = { f32: 4, u8: 1, u16: 2, u32: 4 } as const;
const MAGIC = 0x31424b41;
const PAGE_ROWS = 16_384;

const typeOf = (a: Column): BundleTable['columns'][number]['type'] =>
  a instanceof Float32Array ? 'f32' : a instanceof Uint8Array ? 'u8' : a instanceof Uint16Array ? 'u16' : 'u32';

const padded = (bytes: number): number => (bytes + 3) & ~3;

function pageBytes(table: BundleTable, rows: number): number {
  return table.columns.reduce((n, c) => n + padded(rows * c.size * BYTES[c.type]), 0);
}

interface TableData {
  name: string;
  rows: number;
  columns: { name: string; data: Column; size: number }[];
  pageRows?: number;
}

function encode(kind: BundleHeader['kind'], meta: Record<string, unknown>, tables: TableData[]): Uint8Array {
  const header: BundleHeader = {
    kind,
    meta,
    tables: tables.map((t) => ({
      name: t.name,
      rows: t.rows,
      pageRows: t.pageRows ?? PAGE_ROWS,
      columns: t.columns.map((c) => ({ name: c.name, type: typeOf(c.data), size: c.size })),
    })),
  };
  let json = JSON.stringify(header);
  let head = new TextEncoder().encode(json);
  if (head.length % 8 !== 0) {
    json += ' '.repeat(8 - (head.length % 8));
    head = new TextEncoder().encode(json);
  }
  let total = 8 + head.length;
  for (const t of header.tables)
    for (let r = 0; r < t.rows; r += t.pageRows) total += pageBytes(t, Math.min(t.pageRows, t.rows - r));
  const out = new Uint8Array(total);
  const view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, head.length, true);
  out.set(head, 8);
  let at = 8 + head.length;
  header.tables.forEach((t, i) => {
    for (let r = 0; r < t.rows; r += t.pageRows) {
      const rows = Math.min(t.pageRows, t.rows - r);
      for (const c of tables[i].columns) {
        const part = c.data.subarray(r * c.size, (r + rows) * c.size);
        out.set(new Uint8Array(part.buffer, part.byteOffset, part.byteLength), at);
        at += padded(part.byteLength);
      }
    }
  });
  return out;
}

/** Reads a bundle piece by piece as bytes arrive; complete pages are handed on at once. */
export class BundleReader {
  header?: BundleHeader;
  private buffer = new Uint8Array(0);
  private table = 0;
  private row = 0;

  /**
   * @param onPage called with a table's name, the first row, and its columns by name (copies)
   * @param onHeader called once, before the first page
   */
  constructor(
    private readonly onPage: (table: string, firstRow: number, rows: number, columns: Record<string, Column>) => void,
    private readonly onHeader?: (header: BundleHeader) => void,
  ) {}

  /** @throws GeometryError `corrupt-file` if these are not the bytes of a bundle */
  push(bytes: Uint8Array): void {
    const joined = new Uint8Array(this.buffer.length + bytes.length);
    joined.set(this.buffer);
    joined.set(bytes, this.buffer.length);
    this.buffer = joined;
    let at = 0;
    if (!this.header) {
      if (joined.length < 8) return;
      const view = new DataView(joined.buffer);
      if (view.getUint32(0, true) !== MAGIC)
        throw new GeometryError('corrupt-file', 'These are not the bytes of a bundle.');
      const length = view.getUint32(4, true);
      if (length > 1 << 24) throw new GeometryError('corrupt-file', `The bundle's header claims ${length} bytes.`);
      if (joined.length < 8 + length) return;
      this.header = JSON.parse(new TextDecoder().decode(joined.subarray(8, 8 + length))) as BundleHeader;
      at = 8 + length;
      this.onHeader?.(this.header);
    }
    while (this.table < this.header.tables.length) {
      const t = this.header.tables[this.table];
      if (this.row >= t.rows) {
        this.table++;
        this.row = 0;
        continue;
      }
      const rows = Math.min(t.pageRows, t.rows - this.row);
      const size = pageBytes(t, rows);
      if (joined.length - at < size) break;
      const columns: Record<string, Column> = {};
      for (const c of t.columns) {
        const length = rows * c.size;
        const bytesHere = joined.slice(at, at + length * BYTES[c.type]);
        columns[c.name] =
          c.type === 'u8'
            ? bytesHere
            : c.type === 'f32'
              ? new Float32Array(bytesHere.buffer)
              : c.type === 'u16'
                ? new Uint16Array(bytesHere.buffer)
                : new Uint32Array(bytesHere.buffer);
        at += padded(bytesHere.length);
      }
      this.onPage(t.name, this.row, rows, columns);
      this.row += rows;
    }
    this.buffer = joined.slice(at);
  }

  get complete(): boolean {
    return this.header !== undefined && this.table >= this.header.tables.length;
  }
}

/** All tables of a complete bundle, columns joined. @throws GeometryError `corrupt-file` if it is cut off */
export function decodeBundle(bytes: Uint8Array): {
  header: BundleHeader;
  tables: Record<string, Record<string, Column>>;
} {
  const tables: Record<string, Record<string, Column>> = {};
  const reader: BundleReader = new BundleReader((name, first, _rows, columns) => {
    const t = reader.header!.tables.find((x) => x.name === name)!;
    const target = (tables[name] ??= Object.fromEntries(
      t.columns.map((c) => {
        const n = t.rows * c.size;
        return [
          c.name,
          c.type === 'f32'
            ? new Float32Array(n)
            : c.type === 'u8'
              ? new Uint8Array(n)
              : c.type === 'u16'
                ? new Uint16Array(n)
                : new Uint32Array(n),
        ];
      }),
    ));
    for (const c of t.columns) target[c.name].set(columns[c.name], first * c.size);
  });
  reader.push(bytes);
  if (!reader.complete) throw new GeometryError('corrupt-file', 'The stored data is incomplete.');
  return { header: reader.header!, tables };
}

/**
 * An order in which every prefix is an even subsample: points sorted along a space-filling (Morton) curve, then taken
 * in bit-reversed order (van der Corput sequence). O(n log n).
 */
export function progressiveOrder(positions: Float32Array): Uint32Array {
  const n = positions.length / 3;
  const { min, max } = boundsOf(positions);
  const scale = 511 / Math.max(1e-9, max[0] - min[0], max[1] - min[1], max[2] - min[2]);
  const keys = new Float64Array(n);
  const spread = (v: number): number => {
    let x = v & 511;
    x = (x | (x << 16)) & 0x30000ff;
    x = (x | (x << 8)) & 0x300f00f;
    x = (x | (x << 4)) & 0x30c30c3;
    return (x | (x << 2)) & 0x9249249;
  };
  for (let i = 0; i < n; i++) {
    const code =
      spread(Math.floor((positions[3 * i] - min[0]) * scale)) |
      (spread(Math.floor((positions[3 * i + 1] - min[1]) * scale)) << 1) |
      (spread(Math.floor((positions[3 * i + 2] - min[2]) * scale)) << 2);
    keys[i] = code * 16777216 + i;
  }
  keys.sort();
  let bits = 0;
  while (1 << bits < n) bits++;
  const out = new Uint32Array(n);
  let at = 0;
  for (let k = 0; k < 1 << bits; k++) {
    let reversed = 0;
    for (let b = 0; b < bits; b++) if (k & (1 << b)) reversed |= 1 << (bits - 1 - b);
    if (reversed < n) out[at++] = keys[reversed] % 16777216;
  }
  return out;
}

/** Extra facts stored with a cloud. */
export interface CloudMeta {
  viewpoints?: number[][];
}

/** Encodes a cloud in progressive order, with its optional backdrop. */
export function encodeCloud(cloud: PointCloud, backdrop?: Float32Array, meta: CloudMeta = {}): Uint8Array {
  const ordered = selectPoints(cloud, progressiveOrder(cloud.positions));
  const columns: TableData['columns'] = [{ name: 'position', data: ordered.positions, size: 3 }];
  if (ordered.colors) columns.push({ name: 'color', data: ordered.colors, size: 3 });
  if (ordered.normals) columns.push({ name: 'normal', data: ordered.normals, size: 3 });
  const tables: TableData[] = [{ name: 'points', rows: ordered.positions.length / 3, columns }];
  if (backdrop?.length)
    tables.push({
      name: 'backdrop',
      rows: backdrop.length / 3,
      columns: [{ name: 'position', data: backdrop, size: 3 }],
    });
  return encode('cloud', { ...meta, bounds: boundsOf(cloud.positions) }, tables);
}

export function decodeCloud(bytes: Uint8Array): { cloud: PointCloud; backdrop?: Float32Array; meta: CloudMeta } {
  const { header, tables } = decodeBundle(bytes);
  const t = tables.points ?? {};
  return {
    cloud: {
      positions: (t.position as Float32Array) ?? new Float32Array(0),
      colors: t.color as Uint8Array | undefined,
      normals: t.normal as Float32Array | undefined,
    },
    backdrop: tables.backdrop?.position as Float32Array | undefined,
    meta: header.meta as CloudMeta,
  };
}

/** Encodes a mesh or a textured mesh; `coarse` are the triangles of a light version over the same vertices. */
export function encodeMesh(mesh: TriangleMesh | TexturedMesh, coarse?: Uint32Array): Uint8Array {
  const columns: TableData['columns'] = [{ name: 'position', data: mesh.positions, size: 3 }];
  if (mesh.colors) columns.push({ name: 'color', data: mesh.colors, size: 3 });
  if (mesh.invented) columns.push({ name: 'invented', data: mesh.invented, size: 1 });
  if (mesh.scanCount) columns.push({ name: 'scanCount', data: mesh.scanCount, size: 1 });
  if (mesh.normals) columns.push({ name: 'normal', data: mesh.normals, size: 3 });
  const tables: TableData[] = [{ name: 'vertices', rows: vertexCount(mesh), columns }];
  if (coarse)
    tables.push({ name: 'coarse', rows: coarse.length / 3, columns: [{ name: 'index', data: coarse, size: 3 }] });
  const faces: TableData['columns'] = [{ name: 'index', data: mesh.indices, size: 3 }];
  const meta: Record<string, unknown> = { bounds: boundsOf(mesh.positions), triangles: mesh.indices.length / 3 };
  if ('cornerUvs' in mesh) {
    faces.push({ name: 'uv', data: mesh.cornerUvs, size: 6 });
    const png = encodeColorPng(mesh.texture);
    tables.push({ name: 'faces', rows: mesh.indices.length / 3, columns: faces });
    tables.push({
      name: 'texture',
      rows: png.length,
      pageRows: png.length,
      columns: [{ name: 'png', data: png, size: 1 }],
    });
    return encode('model', meta, tables);
  }
  tables.push({ name: 'faces', rows: mesh.indices.length / 3, columns: faces });
  return encode('mesh', meta, tables);
}

export function decodeMesh(bytes: Uint8Array): TriangleMesh | TexturedMesh {
  const { header, tables } = decodeBundle(bytes);
  const v = tables.vertices ?? {};
  const mesh: TriangleMesh = {
    positions: (v.position as Float32Array) ?? new Float32Array(0),
    indices: (tables.faces?.index as Uint32Array) ?? new Uint32Array(0),
  };
  if (v.color) mesh.colors = v.color as Uint8Array;
  if (v.invented) mesh.invented = v.invented as Uint8Array;
  if (v.scanCount) mesh.scanCount = v.scanCount as Uint8Array;
  if (v.normal) mesh.normals = v.normal as Float32Array;
  if (header.kind !== 'model') return mesh;
  return {
    ...mesh,
    cornerUvs: tables.faces.uv as Float32Array,
    texture: decodeColor(tables.texture.png as Uint8Array, 'the map'),
  };
}

interface FrameMeta {
  name: string;
  camera: Intrinsics;
  unit: number;
  scanFromSensor: number[];
  color?: Intrinsics;
}

/** Encodes depth frames: depth as 16-bit multiples of a unit (at most 0.01 mm for ranges below 655 mm), colour as PNG. */
export function encodeFrames(frames: DepthFrame[]): Uint8Array {
  const meta: FrameMeta[] = [];
  const tables: TableData[] = [];
  frames.forEach((f, i) => {
    const farthest = f.depth.reduce((a, b) => Math.max(a, b), 0);
    const unit = Math.max(0.01, farthest / 65_000);
    const depth = Uint16Array.from(f.depth, (z) => (z > 0 ? Math.round(z / unit) : 0));
    tables.push({
      name: `depth ${i}`,
      rows: depth.length,
      pageRows: depth.length,
      columns: [{ name: 'z', data: depth, size: 1 }],
    });
    if (f.color) {
      const png = encodeColorPng(f.color.image);
      tables.push({
        name: `color ${i}`,
        rows: png.length,
        pageRows: png.length,
        columns: [{ name: 'png', data: png, size: 1 }],
      });
    }
    meta.push({
      name: f.name,
      camera: f.camera,
      unit,
      scanFromSensor: Array.from(f.scanFromSensor),
      color: f.color?.camera,
    });
  });
  return encode('frames', { frames: meta }, tables);
}

/** Decodes stored frames; depth and pictures are unpacked when first asked for, since most steps need only the poses. */
export function decodeFrames(bytes: Uint8Array): DepthFrame[] {
  const { header, tables } = decodeBundle(bytes);
  return (header.meta.frames as FrameMeta[]).map(
    (m, i) =>
      new StoredFrame(m, tables[`depth ${i}`].z as Uint16Array, tables[`color ${i}`]?.png as Uint8Array | undefined),
  );
}

class StoredFrame implements DepthFrame {
  readonly name: string;
  readonly camera: Intrinsics;
  readonly scanFromSensor: Float64Array;
  private unpackedDepth?: Float32Array;
  private unpackedColor?: DepthFrame['color'];

  constructor(
    private readonly meta: FrameMeta,
    private readonly packedDepth: Uint16Array,
    private readonly png?: Uint8Array,
  ) {
    this.name = meta.name;
    this.camera = meta.camera;
    this.scanFromSensor = Float64Array.from(meta.scanFromSensor);
  }

  get depth(): Float32Array {
    return (this.unpackedDepth ??= Float32Array.from(this.packedDepth, (v) => v * this.meta.unit));
  }

  get color(): DepthFrame['color'] {
    if (!this.png || !this.meta.color) return undefined;
    return (this.unpackedColor ??= { camera: this.meta.color, image: decodeColor(this.png, this.meta.name) });
  }
}

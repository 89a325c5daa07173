import { GeometryError } from '../runtime/geometry-error.js';
import { assertCount, cleanScanFile, type ScanFile } from './scan-file.js';

/**
 * PLY, the polygon file format: ascii and both binary byte orders, any elements and properties.
 * Source: G. Turk (1994), The PLY polygon file format.
 */

const TYPES: Record<string, { size: number; read: (d: DataView, at: number, little: boolean) => number }> = {
  char: { size: 1, read: (d, a) => d.getInt8(a) },
  uchar: { size: 1, read: (d, a) => d.getUint8(a) },
  short: { size: 2, read: (d, a, l) => d.getInt16(a, l) },
  ushort: { size: 2, read: (d, a, l) => d.getUint16(a, l) },
  int: { size: 4, read: (d, a, l) => d.getInt32(a, l) },
  uint: { size: 4, read: (d, a, l) => d.getUint32(a, l) },
  float: { size: 4, read: (d, a, l) => d.getFloat32(a, l) },
  double: { size: 8, read: (d, a, l) => d.getFloat64(a, l) },
};
const ALIASES: Record<string, string> = {
  int8: 'char',
  uint8: 'uchar',
  int16: 'short',
  uint16: 'ushort',
  int32: 'int',
  uint32: 'uint',
  float32: 'float',
  float64: 'double',
};

interface Property {
  name: string;
  type: string;
  /** Type of the count before the values, for lists. */
  countType?: string;
}

interface Element {
  name: string;
  count: number;
  properties: Property[];
}

interface Header {
  format: 'ascii' | 'binary_little_endian' | 'binary_big_endian';
  elements: Element[];
  bodyAt: number;
}

/** True if the bytes begin like a PLY file. */
export function looksLikePly(bytes: Uint8Array): boolean {
  return (
    bytes.length >= 4 &&
    bytes[0] === 0x70 &&
    bytes[1] === 0x6c &&
    bytes[2] === 0x79 &&
    (bytes[3] === 10 || bytes[3] === 13)
  );
}

/**
 * Reads points, normals, colours and faces; other properties are passed over. Polygons are split into triangles.
 * @throws GeometryError `corrupt-file` (broken header, file too short), `empty-input`, `too-large`
 */
export function readPly(bytes: Uint8Array): ScanFile {
  const header = readHeader(bytes);
  const vertex = header.elements.find((e) => e.name === 'vertex');
  if (!vertex) throw new GeometryError('corrupt-file', 'This PLY file has no element "vertex".');
  for (const axis of ['x', 'y', 'z']) {
    if (!vertex.properties.some((p) => p.name === axis)) {
      throw new GeometryError('corrupt-file', `The vertices of this PLY file have no coordinate "${axis}".`);
    }
  }
  const sink = new Sink(header);
  if (header.format === 'ascii') readAscii(bytes, header, sink);
  else readBinary(bytes, header, sink);
  return cleanScanFile(sink.finish());
}

function readHeader(bytes: Uint8Array): Header {
  if (!looksLikePly(bytes))
    throw new GeometryError('corrupt-file', 'This is not a PLY file: it does not begin with "ply".');
  const limit = Math.min(bytes.length, 1 << 16);
  let text = '';
  for (let i = 0; i < limit; i++) text += String.fromCharCode(bytes[i]);
  const end = /(^|\n)end_header\r?\n/.exec(text);
  if (!end)
    throw new GeometryError(
      'corrupt-file',
      'The PLY header is incomplete: "end_header" is missing. Was the file cut off?',
    );
  const bodyAt = end.index + end[0].length;
  const elements: Element[] = [];
  let format: Header['format'] | undefined;
  for (const line of text.slice(0, end.index).split(/\r?\n/)) {
    const words = line.trim().split(/\s+/);
    if (words[0] === 'format') {
      if (words[1] !== 'ascii' && words[1] !== 'binary_little_endian' && words[1] !== 'binary_big_endian') {
        throw new GeometryError('unsupported-format', `PLY format "${words[1]}" is not known.`);
      }
      format = words[1];
    } else if (words[0] === 'element') {
      const count = Number(words[2]);
      assertCount(count, `elements "${words[1]}"`);
      elements.push({ name: words[1], count, properties: [] });
    } else if (words[0] === 'property') {
      const element = elements[elements.length - 1];
      if (!element) throw new GeometryError('corrupt-file', 'The PLY header has a property before any element.');
      const list = words[1] === 'list';
      const type = ALIASES[words[list ? 3 : 1]] ?? words[list ? 3 : 1];
      const countType = list ? (ALIASES[words[2]] ?? words[2]) : undefined;
      for (const t of [type, countType]) {
        if (t !== undefined && !TYPES[t])
          throw new GeometryError('corrupt-file', `The PLY header has a property of unknown type "${t}".`);
      }
      element.properties.push({ name: words[list ? 4 : 2], type, countType });
    }
  }
  if (!format) throw new GeometryError('corrupt-file', 'The PLY header does not say its format.');
  return { format, elements, bodyAt };
}

/** Collects the values that are of interest. */
class Sink {
  readonly positions: Float32Array;
  readonly normals?: Float32Array;
  readonly colors?: Uint8Array;
  readonly indices: number[] = [];
  private readonly slots: Map<string, (i: number, v: number) => void>;

  constructor(private readonly header: Header) {
    const vertex = header.elements.find((e) => e.name === 'vertex')!;
    const has = (...names: string[]): boolean => names.every((n) => vertex.properties.some((p) => p.name === n));
    this.positions = new Float32Array(3 * vertex.count);
    if (has('nx', 'ny', 'nz')) this.normals = new Float32Array(3 * vertex.count);
    const names = has('red', 'green', 'blue')
      ? ['red', 'green', 'blue']
      : has('diffuse_red', 'diffuse_green', 'diffuse_blue')
        ? ['diffuse_red', 'diffuse_green', 'diffuse_blue']
        : undefined;
    if (names) this.colors = new Uint8Array(3 * vertex.count);
    this.slots = new Map();
    ['x', 'y', 'z'].forEach((n, k) => this.slots.set(n, (i, v) => (this.positions[3 * i + k] = v)));
    if (this.normals) ['nx', 'ny', 'nz'].forEach((n, k) => this.slots.set(n, (i, v) => (this.normals![3 * i + k] = v)));
    names?.forEach((n, k) => {
      const type = vertex.properties.find((p) => p.name === n)!.type;
      const scale = type === 'float' || type === 'double' ? 255 : type === 'ushort' ? 1 / 257 : 1;
      this.slots.set(n, (i, v) => (this.colors![3 * i + k] = Math.max(0, Math.min(255, Math.round(v * scale)))));
    });
  }

  setterFor(element: Element, property: Property): ((i: number, v: number) => void) | undefined {
    return element.name === 'vertex' && !property.countType ? this.slots.get(property.name) : undefined;
  }

  takesFaces(element: Element, property: Property): boolean {
    return element.name === 'face' && (property.name === 'vertex_indices' || property.name === 'vertex_index');
  }

  polygon(ids: number[]): void {
    for (let k = 1; k + 1 < ids.length; k++) this.indices.push(ids[0], ids[k], ids[k + 1]);
  }

  finish(): ScanFile {
    return {
      format: 'ply',
      positions: this.positions,
      normals: this.normals,
      colors: this.colors,
      ...(this.indices.length > 0 ? { indices: Uint32Array.from(this.indices, (v) => (v < 0 ? 0xffffffff : v)) } : {}),
      companions: [],
      notes: this.header.elements.length === 0 ? ['The file declares no elements.'] : [],
    };
  }
}

function truncated(element: Element, i: number): GeometryError {
  return new GeometryError(
    'corrupt-file',
    `The file ends after ${i} of ${element.count} elements "${element.name}". It was cut off; copy or export it again.`,
  );
}

function readBinary(bytes: Uint8Array, header: Header, sink: Sink): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const little = header.format === 'binary_little_endian';
  let at = header.bodyAt;
  for (const element of header.elements) {
    const plan = element.properties.map((p) => ({
      ...TYPES[p.type],
      count: p.countType ? TYPES[p.countType] : undefined,
      set: sink.setterFor(element, p),
      faces: sink.takesFaces(element, p),
    }));
    const fixed = plan.every((p) => !p.count) ? plan.reduce((s, p) => s + p.size, 0) : 0;
    if (fixed > 0 && at + fixed * element.count > bytes.length) {
      throw truncated(element, Math.floor((bytes.length - at) / fixed));
    }
    for (let i = 0; i < element.count; i++) {
      for (const p of plan) {
        if (!p.count) {
          if (at + p.size > bytes.length) throw truncated(element, i);
          if (p.set) p.set(i, p.read(view, at, little));
          at += p.size;
          continue;
        }
        if (at + p.count.size > bytes.length) throw truncated(element, i);
        const n = p.count.read(view, at, little);
        at += p.count.size;
        if (n < 0 || at + n * p.size > bytes.length) throw truncated(element, i);
        if (p.faces && n >= 3) {
          const ids: number[] = [];
          for (let k = 0; k < n; k++) ids.push(p.read(view, at + k * p.size, little));
          sink.polygon(ids);
        }
        at += n * p.size;
      }
    }
  }
}

function readAscii(bytes: Uint8Array, header: Header, sink: Sink): void {
  let at = header.bodyAt;
  const next = (element: Element, i: number): number => {
    while (at < bytes.length && bytes[at] <= 32) at++;
    const from = at;
    while (at < bytes.length && bytes[at] > 32) at++;
    if (from === at) throw truncated(element, i);
    let word = '';
    for (let k = from; k < at; k++) word += String.fromCharCode(bytes[k]);
    const value = Number(word);
    if (Number.isNaN(value) && !/^[-+]?nan/i.test(word)) {
      throw new GeometryError('corrupt-file', `Element "${element.name}" ${i} holds "${word}", which is not a number.`);
    }
    return value;
  };
  for (const element of header.elements) {
    for (let i = 0; i < element.count; i++) {
      for (const p of element.properties) {
        if (!p.countType) {
          const v = next(element, i);
          sink.setterFor(element, p)?.(i, v);
          continue;
        }
        const n = next(element, i);
        assertCount(n, 'values in a list');
        const ids: number[] = [];
        for (let k = 0; k < n; k++) ids.push(next(element, i));
        if (sink.takesFaces(element, p) && n >= 3) sink.polygon(ids);
      }
    }
  }
}

/** What can be written to PLY; `extra` are further per-vertex byte properties, by name. */
export interface PlyContent {
  positions: Float32Array;
  normals?: Float32Array;
  colors?: Uint8Array;
  indices?: Uint32Array;
  extra?: Record<string, Uint8Array>;
  comments?: string[];
}

/** Writes binary little-endian PLY (ascii on request). Lengths are millimetres unless the caller has scaled them. */
export function writePly(
  content: PlyContent,
  format: 'binary_little_endian' | 'ascii' = 'binary_little_endian',
): Uint8Array {
  const n = content.positions.length / 3;
  const m = content.indices ? content.indices.length / 3 : 0;
  const extra = Object.entries(content.extra ?? {});
  const lines = [
    'ply',
    `format ${format} 1.0`,
    ...(content.comments ?? []).map((c) => `comment ${c}`),
    `element vertex ${n}`,
  ];
  for (const a of ['x', 'y', 'z']) lines.push(`property float ${a}`);
  if (content.normals) for (const a of ['nx', 'ny', 'nz']) lines.push(`property float ${a}`);
  if (content.colors) for (const a of ['red', 'green', 'blue']) lines.push(`property uchar ${a}`);
  for (const [name] of extra) lines.push(`property uchar ${name}`);
  if (content.indices) lines.push(`element face ${m}`, 'property list uchar int vertex_indices');
  lines.push('end_header', '');
  const head = new TextEncoder().encode(lines.join('\n'));
  if (format === 'ascii') {
    const rows: string[] = [];
    for (let i = 0; i < n; i++) {
      const row: number[] = [];
      for (const a of [content.positions, content.normals, content.colors])
        if (a) row.push(a[3 * i], a[3 * i + 1], a[3 * i + 2]);
      for (const [, values] of extra) row.push(values[i]);
      rows.push(row.join(' '));
    }
    for (let t = 0; t < m; t++) rows.push(`3 ${content.indices!.slice(3 * t, 3 * t + 3).join(' ')}`);
    const body = new TextEncoder().encode(rows.join('\n') + '\n');
    const out = new Uint8Array(head.length + body.length);
    out.set(head);
    out.set(body, head.length);
    return out;
  }
  const stride = 12 + (content.normals ? 12 : 0) + (content.colors ? 3 : 0) + extra.length;
  const out = new Uint8Array(head.length + n * stride + m * 13);
  out.set(head);
  const view = new DataView(out.buffer);
  let at = head.length;
  for (let i = 0; i < n; i++) {
    for (const a of [content.positions, content.normals]) {
      if (!a) continue;
      for (let k = 0; k < 3; k++, at += 4) view.setFloat32(at, a[3 * i + k], true);
    }
    if (content.colors) for (let k = 0; k < 3; k++) out[at++] = content.colors[3 * i + k];
    for (const [, values] of extra) out[at++] = values[i];
  }
  for (let t = 0; t < m; t++) {
    out[at++] = 3;
    for (let k = 0; k < 3; k++, at += 4) view.setInt32(at, content.indices![3 * t + k], true);
  }
  return out;
}

import {
  KNOWN_ATTRIBUTES,
  scanWordsFor,
  type PictureName,
  type VertexKnowledge,
} from '../../geometry/vertex-knowledge.js';
import { GeometryError } from '../../runtime/geometry-error.js';
import { BRIGHTNESS_NOTE, greyOf } from '../brightness.js';
import { ByteCursor, firstBytes, type Bytes } from '../byte-source.js';
import { GrowingArray } from '../../runtime/growing-array.js';
import { assertCount, cleanScanFile, cutOff, type ScanFile } from '../scan-file.js';
import { normalsFromGrid } from '../range-grid.js';

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
  /** Columns and rows of a range grid, as its comments say. */
  grid?: { columns: number; rows: number };
  /** Names of the scans that measured a surface, as our own files list them. */
  scanNames: string[];
  pictures: PictureName[];
}

/** True if the bytes begin like a PLY file. */
export function looksLikePly(bytes: Bytes): boolean {
  return /^ply[\r\n]/.test(String.fromCharCode(...firstBytes(bytes, 4)));
}

/**
 * Reads points, normals, colours (or brightness), faces, and the normals that follow from a range grid; other
 * properties are passed over. Polygons are split into triangles. Reads through a window.
 * @throws GeometryError `corrupt-file` (broken header, file too short), `empty-input`, `too-large`
 */
export function readPly(bytes: Bytes): ScanFile {
  const header = readHeader(bytes);
  const vertex = header.elements.find((e) => e.name === 'vertex');
  if (!vertex) throw new GeometryError('corrupt-file', 'This PLY file has no element "vertex".');
  for (const axis of ['x', 'y', 'z']) {
    if (!vertex.properties.some((p) => p.name === axis)) {
      throw new GeometryError('corrupt-file', `The vertices of this PLY file have no coordinate "${axis}".`);
    }
  }
  const cursor = new ByteCursor(bytes, header.bodyAt);
  assertRoom(cursor.left, header);
  const sink = new Sink(header);
  if (header.format === 'ascii') readAscii(cursor, header, sink);
  else readBinary(cursor, header, sink);
  return cleanScanFile(sink.finish());
}

/**
 * Reads an even part of the points of a binary file, at most so many, without its faces: enough to look at, in the time
 * that reading the bytes takes. Undefined for files that can't be read so: text, and points of changing length.
 * @throws GeometryError as `readPly`
 */
export function samplePly(bytes: Bytes, most: number): ScanFile | undefined {
  const header = readHeader(bytes);
  const [first] = header.elements;
  if (header.format === 'ascii' || first?.name !== 'vertex' || first.properties.some((p) => p.countType))
    return undefined;
  const cursor = new ByteCursor(bytes, header.bodyAt);
  assertRoom(cursor.left, header);
  const step = Math.max(1, Math.ceil(first.count / most));
  const vertices = { ...first, count: Math.floor(first.count / step) };
  const sink = new Sink({ ...header, elements: [vertices] });
  const stride = first.properties.reduce((sum, p) => sum + TYPES[p.type].size, 0);
  const plan = first.properties.map((p) => ({ ...TYPES[p.type], set: sink.setterFor(vertices, p) }));
  for (let i = 0; i < vertices.count; i++) {
    if (!cursor.need(stride)) throw truncated(first, i * step);
    let at = cursor.offset;
    for (const p of plan) {
      p.set?.(i, p.read(cursor.view, at, header.format === 'binary_little_endian'));
      at += p.size;
    }
    cursor.skip(stride * step);
  }
  return cleanScanFile(sink.finish());
}

function readHeader(bytes: Bytes): Header {
  if (!looksLikePly(bytes))
    throw new GeometryError('corrupt-file', 'This is not a PLY file: it does not begin with "ply".');
  const text = new TextDecoder('latin1').decode(firstBytes(bytes, 1 << 16));
  const end = /(^|\n)end_header\r?\n/.exec(text);
  if (!end)
    throw new GeometryError(
      'corrupt-file',
      'The PLY header is incomplete: "end_header" is missing. Was the file cut off?',
    );
  const bodyAt = end.index + end[0].length;
  const elements: Element[] = [];
  let format: Header['format'] | undefined;
  const scanNames: string[] = [];
  const pictures: PictureName[] = [];
  let columns = 0;
  let rows = 0;
  for (const line of text.slice(0, end.index).split(/\r?\n/)) {
    const words = line.trim().split(/\s+/);
    if (words[0] === 'format') {
      if (words[1] !== 'ascii' && words[1] !== 'binary_little_endian' && words[1] !== 'binary_big_endian') {
        throw new GeometryError('unsupported-format', `PLY format "${words[1]}" is not known.`);
      }
      format = words[1];
    } else if (words[0] === 'obj_info') {
      if (words[1] === 'num_cols') columns = Number(words[2]);
      if (words[1] === 'num_rows') rows = Number(words[2]);
    } else if (words[0] === 'comment' && words[1] === 'scan') {
      const name = nameIn(line, 'scan', scanNames.length);
      if (name !== undefined) scanNames.push(name);
    } else if (words[0] === 'comment' && words[1] === 'picture') {
      const picture = pictureIn(nameIn(line, 'picture', pictures.length));
      if (picture) pictures.push(picture);
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
  return {
    format,
    elements,
    bodyAt,
    scanNames,
    pictures,
    ...(columns > 0 && rows > 0 ? { grid: { columns, rows } } : {}),
  };
}

/** Refuses counts that the bytes of the body can't hold, before room is made for them. */
function assertRoom(left: number, { format, elements }: Header): void {
  const binary = format !== 'ascii';
  let before = 0;
  for (const element of elements) {
    // Text needs a digit and a blank at least for each value.
    const least = element.properties.reduce(
      (s, p) => s + (binary ? TYPES[p.countType ?? p.type].size : 2),
      element.properties.length > 0 || binary ? 0 : 1,
    );
    const room = Math.max(0, left - before + 1);
    if (least * element.count > room)
      throw cutOff(Math.floor(room / least), element.count, `elements "${element.name}"`);
    before += least * element.count;
  }
}

/** What a comment of our own files says that number `wanted` of something is called. */
function nameIn(line: string, what: string, wanted: number): string | undefined {
  const named = new RegExp(`^comment ${what} (\\d+): (.*)$`).exec(line.trim());
  if (!named || Number(named[1]) !== wanted) return undefined;
  // Names are UTF-8; the header as a whole was read byte by byte.
  return new TextDecoder().decode(Uint8Array.from(named[2], (c) => c.charCodeAt(0)));
}

/** Names of a scan and its frame, each in quotation marks as JSON has them. */
function pictureIn(names: string | undefined): PictureName | undefined {
  try {
    const [scan, frame] = JSON.parse(`[${names}]`) as unknown[];
    return typeof scan === 'string' && typeof frame === 'string' ? { scan, frame } : undefined;
  } catch {
    return undefined;
  }
}

/** Properties that hold the bits of the scans: as many words as the named scans need. */
function scanColumns({ scanNames }: Header): string[] {
  const words = scanWordsFor(scanNames.length);
  const columns = Array.from({ length: words }, (_, k) => `scans_${k}`);
  return scanNames.length > 0 ? columns : [];
}

/** Collects the values that are of interest. */
class Sink {
  readonly positions: Float32Array;
  readonly normals?: Float32Array;
  readonly colors?: Uint8Array;
  readonly indices = new GrowingArray(Uint32Array);
  /** Point of each cell of a range grid, -1 where nothing was seen. */
  readonly grid?: Int32Array;
  private readonly known: VertexKnowledge = {};
  private readonly brightness?: Float32Array;
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
    const brightness = names ? undefined : ['intensity', 'scalar_intensity', 'scalar_Intensity'].find((n) => has(n));
    if (brightness) this.brightness = new Float32Array(vertex.count);
    const cells = header.elements.find((e) => e.name === 'range_grid');
    if (cells && header.grid && header.grid.columns * header.grid.rows === cells.count) {
      this.grid = new Int32Array(cells.count).fill(-1);
    }
    this.slots = new Map();
    // What our own files know of a surface, under the names that they use.
    for (const { name, array, ply } of KNOWN_ATTRIBUTES) {
      const columns = name === 'scanBits' ? scanColumns(header) : [ply];
      if (columns.length === 0 || !has(...columns)) continue;
      const values = new array(columns.length * vertex.count);
      Object.assign(this.known, { [name]: values });
      columns.forEach((c, k) => this.slots.set(c, (i, v) => (values[columns.length * i + k] = v)));
    }
    if (this.known.scanBits) this.known.scanNames = header.scanNames;
    if (this.known.coloredBy) this.known.pictures = header.pictures;
    if (brightness) this.slots.set(brightness, (i, v) => (this.brightness![i] = v));
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

  /** What takes the numbers of a list, if anything does. */
  listTakerFor(element: Element, property: Property): ((i: number, ids: readonly number[]) => void) | undefined {
    if (property.name !== 'vertex_indices' && property.name !== 'vertex_index') return undefined;
    if (element.name === 'face') return (_, ids) => this.polygon(ids);
    if (element.name === 'range_grid' && this.grid) return (i, ids) => (this.grid![i] = ids[0] ?? -1);
    return undefined;
  }

  private polygon(ids: readonly number[]): void {
    for (let k = 1; k + 1 < ids.length; k++) this.indices.push(ids[0], ids[k], ids[k + 1]);
  }

  finish(): ScanFile {
    const { columns, rows } = this.header.grid ?? { columns: 0, rows: 0 };
    const gridNormals =
      this.grid && !this.normals ? normalsFromGrid(this.positions, { cells: this.grid, columns, rows }) : undefined;
    return {
      format: 'ply',
      positions: this.positions,
      normals: this.normals ?? gridNormals,
      colors: this.colors ?? (this.brightness && greyOf(this.brightness)),
      ...this.known,
      ...(this.indices.length > 0 ? { indices: this.indices.toArray() } : {}),
      companions: [],
      notes: [
        ...(this.brightness ? [BRIGHTNESS_NOTE] : []),
        ...(gridNormals ? [`Normals were taken from the range grid of ${columns}×${rows} cells.`] : []),
      ],
    };
  }
}

const truncated = (element: Element, i: number): GeometryError =>
  cutOff(i, element.count, `elements "${element.name}"`);

function readBinary(cursor: ByteCursor, header: Header, sink: Sink): void {
  const little = header.format === 'binary_little_endian';
  for (const element of header.elements) {
    const plan = element.properties.map((p) => ({
      ...TYPES[p.type],
      count: p.countType ? TYPES[p.countType] : undefined,
      set: sink.setterFor(element, p),
      take: p.countType ? sink.listTakerFor(element, p) : undefined,
    }));
    const fixed = plan.every((p) => !p.count) ? plan.reduce((s, p) => s + p.size, 0) : 0;
    for (let i = 0; i < element.count; i++) {
      if (fixed > 0) {
        if (!cursor.need(fixed)) throw truncated(element, i);
        for (const p of plan) {
          if (p.set) p.set(i, p.read(cursor.view, cursor.offset, little));
          cursor.skip(p.size);
        }
        continue;
      }
      for (const p of plan) {
        if (!cursor.need(p.count?.size ?? p.size)) throw truncated(element, i);
        if (!p.count) {
          if (p.set) p.set(i, p.read(cursor.view, cursor.offset, little));
          cursor.skip(p.size);
          continue;
        }
        const n = p.count.read(cursor.view, cursor.offset, little);
        cursor.skip(p.count.size);
        if (!(n >= 0) || !cursor.need(n * p.size)) throw truncated(element, i);
        if (p.take) {
          const ids: number[] = [];
          for (let k = 0; k < n; k++) ids.push(p.read(cursor.view, cursor.offset + k * p.size, little));
          p.take(i, ids);
        }
        cursor.skip(n * p.size);
      }
    }
  }
}

function readAscii(cursor: ByteCursor, header: Header, sink: Sink): void {
  const next = (element: Element, i: number): number => {
    const word = cursor.word();
    if (word === '') throw truncated(element, i);
    const value = Number(word);
    if (Number.isNaN(value) && !/^[-+]?nan/i.test(word)) {
      throw new GeometryError(
        'corrupt-file',
        `Element "${element.name}" ${i} holds "${word.slice(0, 40)}", which is not a number.`,
      );
    }
    return value;
  };
  for (const element of header.elements) {
    const plan = element.properties.map((p) => ({
      list: p.countType !== undefined,
      set: sink.setterFor(element, p),
      take: p.countType ? sink.listTakerFor(element, p) : undefined,
    }));
    for (let i = 0; i < element.count; i++) {
      for (const p of plan) {
        if (!p.list) {
          const v = next(element, i);
          p.set?.(i, v);
          continue;
        }
        const n = next(element, i);
        assertCount(n, 'values in a list');
        const ids: number[] = [];
        for (let k = 0; k < n; k++) ids.push(next(element, i));
        p.take?.(i, ids);
      }
    }
  }
}

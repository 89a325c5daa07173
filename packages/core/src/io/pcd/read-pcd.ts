import { GeometryError } from '../../runtime/geometry-error.js';
import { BRIGHTNESS_NOTE, greyOf } from '../brightness.js';
import { ByteCursor, firstBytes, sourceOf, type Bytes } from '../byte-source.js';
import { assertCount, cleanScanFile, cutOff, type ScanFile } from '../scan-file.js';
import { LzfSource } from './lzf.js';

interface PcdField {
  name: string;
  size: number;
  type: 'I' | 'U' | 'F';
  count: number;
  /** Bytes from the start of a point, or of the columns before it for one point. */
  offset: number;
}

interface PcdHeader {
  fields: PcdField[];
  points: number;
  stride: number;
  data: 'ascii' | 'binary' | 'binary_compressed';
  bodyAt: number;
}

/** Takes the value of a field of point i. */
type Setter = (i: number, value: number) => void;

/** True if the bytes begin like a PCD file. */
export function looksLikePcd(bytes: Bytes): boolean {
  return /^(#[^\n]*PCD|VERSION\s|FIELDS\s)/.test(String.fromCharCode(...firstBytes(bytes, 64)));
}

/**
 * PCD, point cloud data, version 0.7 and like: text, binary and compressed; points, normals, colours packed as `rgb`
 * or `rgba`, else brightness as `intensity`. Other fields are passed over. Read through a window, compressed files too.
 * Source: the Point Cloud Library's documentation, "The PCD file format" (R. Rusu, S. Cousins 2011).
 * @throws GeometryError `corrupt-file`, `empty-input`, `too-large`
 */
export function readPcd(bytes: Bytes): ScanFile {
  const header = readHeader(bytes);
  const find = (name: string): PcdField | undefined => header.fields.find((f) => f.name === name);
  const n = header.points;
  const setters = new Map<PcdField, Setter>();
  const three = (names: string[]): Float32Array | undefined => {
    const fields = names.map(find);
    if (fields.some((f) => !f)) return undefined;
    const out = new Float32Array(3 * n);
    fields.forEach((f, k) => setters.set(f!, (i, v) => (out[3 * i + k] = v)));
    return out;
  };
  assertRoom(sourceOf(bytes).size, header);
  const positions = three(['x', 'y', 'z']);
  if (!positions) throw new GeometryError('corrupt-file', 'The points of this PCD file have no fields x, y and z.');
  const normals = three(['normal_x', 'normal_y', 'normal_z']);
  const packed = find('rgb') ?? find('rgba');
  const colors = packed?.size === 4 ? new Uint8Array(3 * n) : undefined;
  if (colors) setters.set(packed!, colorSetter(packed!, colors));
  const intensity = colors ? undefined : find('intensity');
  const brightness = intensity && new Float32Array(n);
  if (brightness) setters.set(intensity, (i, v) => (brightness[i] = v));
  if (header.data === 'ascii') readText(new ByteCursor(bytes, header.bodyAt), header, setters);
  else if (header.data === 'binary') readRows(new ByteCursor(bytes, header.bodyAt), header, setters);
  else readColumns(bytes, header, setters);
  return cleanScanFile({
    format: 'pcd',
    positions,
    normals,
    colors: colors ?? (brightness && greyOf(brightness)),
    companions: [],
    notes: brightness ? [BRIGHTNESS_NOTE] : [],
  });
}

/** The bytes of a colour stand in the bits of a float or of a whole number. */
function colorSetter(field: PcdField, colors: Uint8Array): Setter {
  const float = new Float32Array(1);
  const bits = new Uint32Array(float.buffer);
  return (i, v) => {
    if (field.type === 'F') float[0] = v;
    else bits[0] = v;
    for (let k = 0; k < 3; k++) colors[3 * i + k] = (bits[0] >>> (16 - 8 * k)) & 255;
  };
}

/** Refuses a count that the file can't hold, before room is made for it. */
function assertRoom(size: number, { points, stride, fields, data, bodyAt }: PcdHeader): void {
  const each = data === 'binary' ? stride : data === 'ascii' ? 2 * fields.length : stride / 88;
  const held = Math.floor((size - bodyAt + 1) / each);
  if (points > held) throw cutOff(held, points, 'points');
}

function readHeader(file: Bytes): PcdHeader {
  const bytes = firstBytes(file, 1 << 14);
  const lines = new Map<string, string[]>();
  let at = 0;
  while (!lines.has('DATA')) {
    const end = bytes.indexOf(10, at);
    if (end < 0 || at > 8192)
      throw new GeometryError('corrupt-file', 'The head of this PCD file does not end with "DATA".');
    const [word, ...values] = String.fromCharCode(...bytes.subarray(at, end))
      .trim()
      .split(/\s+/);
    if (word && !word.startsWith('#')) lines.set(word.toUpperCase(), values);
    at = end + 1;
  }
  const names = lines.get('FIELDS') ?? [];
  const numbers = (word: string, usual: number): number[] => names.map((_, i) => Number(lines.get(word)?.[i] ?? usual));
  const sizes = numbers('SIZE', 4);
  const counts = numbers('COUNT', 1);
  let stride = 0;
  const fields = names.map((name, i): PcdField => {
    const type = (lines.get('TYPE')?.[i] ?? 'F') as PcdField['type'];
    const [size, count] = [sizes[i], counts[i]];
    const known =
      (type === 'F' ? [4, 8] : [1, 2, 4, 8]).includes(size) && Number.isInteger(count) && count >= 1 && count < 4096;
    if (!known) throw new GeometryError('corrupt-file', `Field "${name}" has an impossible size or count.`);
    stride += size * count;
    return { name, size, type, count, offset: stride - size * count };
  });
  const points = Number(
    lines.get('POINTS')?.[0] ?? Number(lines.get('WIDTH')?.[0]) * Number(lines.get('HEIGHT')?.[0] ?? 1),
  );
  assertCount(points, 'points');
  const data = lines.get('DATA')![0]?.toLowerCase() as PcdHeader['data'];
  if (!['ascii', 'binary', 'binary_compressed'].includes(data)) {
    throw new GeometryError('corrupt-file', `PCD data of kind "${data}" is not known.`);
  }
  return { fields, points, stride, data, bodyAt: at };
}

function readText(cursor: ByteCursor, { fields, points }: PcdHeader, setters: Map<PcdField, Setter>): void {
  const plan = fields.map((f) => ({ count: f.count, set: setters.get(f) }));
  for (let i = 0; i < points; i++) {
    for (const { count, set } of plan) {
      for (let k = 0; k < count; k++) {
        const word = cursor.word();
        if (word === '') throw cutOff(i, points, 'points');
        if (k === 0) set?.(i, Number(word));
      }
    }
  }
}

function readRows(cursor: ByteCursor, { fields, points, stride }: PcdHeader, setters: Map<PcdField, Setter>): void {
  const plan = fields.filter((f) => setters.has(f)).map((f) => ({ f, set: setters.get(f)! }));
  for (let i = 0; i < points; i++) {
    if (!cursor.need(stride)) throw cutOff(i, points, 'points');
    for (const { f, set } of plan) set(i, valueAt(cursor.view, cursor.offset + f.offset, f));
    cursor.skip(stride);
  }
}

/** Compressed files keep each field of all points together. */
function readColumns(
  bytes: Bytes,
  { fields, points, stride, bodyAt }: PcdHeader,
  setters: Map<PcdField, Setter>,
): void {
  const cursor = new ByteCursor(bytes, bodyAt);
  if (!cursor.need(8)) throw cutOff(0, points, 'points');
  const small = cursor.view.getUint32(cursor.offset, true);
  const large = cursor.view.getUint32(cursor.offset + 4, true);
  if (large !== stride * points)
    throw new GeometryError('corrupt-file', 'The compressed part does not hold what the head says.');
  cursor.skip(8);
  if (small > cursor.left) throw cutOff(0, points, 'points');
  const columns = new ByteCursor(new LzfSource(cursor, small, large));
  for (const f of fields) {
    const set = setters.get(f);
    const each = f.size * f.count;
    for (let i = 0; i < points; i++) {
      if (!columns.need(each)) throw cutOff(i, points, 'points');
      set?.(i, valueAt(columns.view, columns.offset, f));
      columns.skip(each);
    }
  }
}

function valueAt(view: DataView, at: number, { type, size }: PcdField): number {
  if (type === 'F') return size === 8 ? view.getFloat64(at, true) : view.getFloat32(at, true);
  if (size === 8) return Number(type === 'I' ? view.getBigInt64(at, true) : view.getBigUint64(at, true));
  if (size === 4) return type === 'I' ? view.getInt32(at, true) : view.getUint32(at, true);
  if (size === 2) return type === 'I' ? view.getInt16(at, true) : view.getUint16(at, true);
  return type === 'I' ? view.getInt8(at) : view.getUint8(at);
}

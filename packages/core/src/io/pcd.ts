import { GeometryError } from '../runtime/geometry-error.js';
import { unpackLzf } from './lzf.js';
import { assertCount, cleanScanFile, type ScanFile } from './scan-file.js';

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

/** Reads field `f` of point `i` as a number. */
type Getter = (f: PcdField, i: number) => number;

/** True if the bytes begin like a PCD file. */
export function looksLikePcd(bytes: Uint8Array): boolean {
  return /^(#[^\n]*PCD|VERSION\s|FIELDS\s)/.test(String.fromCharCode(...bytes.subarray(0, 64)));
}

/**
 * PCD, point cloud data, version 0.7 and like: text, binary and compressed; points, normals, colours packed as `rgb`
 * or `rgba`. Other fields are passed over.
 * Source: the Point Cloud Library's documentation, "The PCD file format" (R. Rusu, S. Cousins 2011).
 * @throws GeometryError `corrupt-file`, `empty-input`, `too-large`
 */
export function readPcd(bytes: Uint8Array): ScanFile {
  const header = readHeader(bytes);
  const find = (name: string): PcdField | undefined => header.fields.find((f) => f.name === name);
  const xyz = ['x', 'y', 'z'].map(find);
  if (xyz.some((f) => !f))
    throw new GeometryError('corrupt-file', 'The points of this PCD file have no fields x, y and z.');
  const normal = ['normal_x', 'normal_y', 'normal_z'].map(find);
  const packed = find('rgb') ?? find('rgba');
  const get = header.data === 'ascii' ? textGetter(bytes, header) : binaryGetter(bytes, header);
  const n = header.points;
  const positions = new Float32Array(3 * n);
  const normals = normal.every((f) => f) ? new Float32Array(3 * n) : undefined;
  const colors = packed && packed.size === 4 ? new Uint8Array(3 * n) : undefined;
  const float = new Float32Array(1);
  const bits = new Uint32Array(float.buffer);
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < 3; k++) {
      positions[3 * i + k] = get(xyz[k]!, i);
      if (normals) normals[3 * i + k] = get(normal[k]!, i);
    }
    if (!colors) continue;
    const v = get(packed!, i);
    // The bytes of the colour stand in the bits of a float.
    if (packed!.type === 'F') float[0] = v;
    else bits[0] = v;
    for (let k = 0; k < 3; k++) colors[3 * i + k] = (bits[0] >>> (16 - 8 * k)) & 255;
  }
  return cleanScanFile({ format: 'pcd', positions, normals, colors, companions: [], notes: [] });
}

function readHeader(bytes: Uint8Array): PcdHeader {
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

function cutOff(held: number, said: number): GeometryError {
  return new GeometryError(
    'corrupt-file',
    `The file ends after ${held} of ${said} points. It was cut off; copy or export it again.`,
  );
}

function textGetter(bytes: Uint8Array, { fields, points, bodyAt }: PcdHeader): Getter {
  const columnOf = new Map<PcdField, number>();
  let width = 0;
  for (const f of fields) {
    columnOf.set(f, width);
    width += f.count;
  }
  const words = new TextDecoder().decode(bytes.subarray(bodyAt)).split(/\s+/).filter(Boolean);
  if (words.length < width * points) throw cutOff(Math.floor(words.length / width), points);
  return (f, i) => Number(words[i * width + columnOf.get(f)!]);
}

function binaryGetter(bytes: Uint8Array, header: PcdHeader): Getter {
  const { points, stride, bodyAt } = header;
  let body = bytes.subarray(bodyAt);
  const columns = header.data === 'binary_compressed';
  if (columns) {
    if (body.length < 8) throw cutOff(0, points);
    const head = new DataView(body.buffer, body.byteOffset, 8);
    const [small, large] = [head.getUint32(0, true), head.getUint32(4, true)];
    if (large !== stride * points)
      throw new GeometryError('corrupt-file', 'The compressed part does not hold what the head says.');
    if (body.length < 8 + small) throw cutOff(0, points);
    body = unpackLzf(body.subarray(8, 8 + small), large);
  }
  if (body.length < stride * points) throw cutOff(Math.floor(body.length / stride), points);
  const view = new DataView(body.buffer, body.byteOffset, body.byteLength);
  // Compressed files keep each field of all points together.
  const place = (f: PcdField, i: number): number =>
    columns ? f.offset * points + i * f.size * f.count : i * stride + f.offset;
  return (f, i) => {
    const at = place(f, i);
    if (f.type === 'F') return f.size === 8 ? view.getFloat64(at, true) : view.getFloat32(at, true);
    if (f.size === 8) return Number(f.type === 'I' ? view.getBigInt64(at, true) : view.getBigUint64(at, true));
    if (f.size === 4) return f.type === 'I' ? view.getInt32(at, true) : view.getUint32(at, true);
    if (f.size === 2) return f.type === 'I' ? view.getInt16(at, true) : view.getUint16(at, true);
    return f.type === 'I' ? view.getInt8(at) : view.getUint8(at);
  };
}

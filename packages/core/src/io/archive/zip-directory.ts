import { GeometryError } from '../../runtime/geometry-error.js';
import { sourceOf, type Bytes, type ByteSource } from '../byte-source.js';

/** A file in an archive, as its directory tells of it. */
export interface ZipEntry {
  path: string;
  /** 0 = as it is, 8 = deflated. */
  method: number;
  /** True if it takes a password to read it. */
  locked: boolean;
  packedSize: number;
  size: number;
  /** Place of its own header in the archive. */
  at: number;
}

const END = 0x06054b50;
const END_BYTES = 22;
const LONGEST_COMMENT = 0xffff;
const END_64_LOCATOR = 0x07064b50;
const END_64 = 0x06064b50;
const CENTRAL = 0x02014b50;
const CENTRAL_BYTES = 46;
const LOCAL = 0x04034b50;
const LOCAL_BYTES = 30;
const LARGEST_DIRECTORY = 64 * 1024 * 1024;
/** Number that says: see the 64-bit extra field. */
const SEE_EXTRA = 0xffffffff;
const EXTRA_64 = 1;

/**
 * Reads the directory at the end of a zip archive, also of 64 bits; the files themselves are left where they are.
 * Source: PKWARE (2022), .ZIP file format specification (APPNOTE), 4.3.
 * @throws GeometryError `corrupt-file` if there is none, or it names places outside of the archive
 */
export function readZipDirectory(bytes: Bytes): ZipEntry[] {
  const source = sourceOf(bytes);
  const { at, size } = findDirectory(source);
  const view = viewOf(source, at, size);
  const entries: ZipEntry[] = [];
  for (let k = 0; k + CENTRAL_BYTES <= size && view.getUint32(k, true) === CENTRAL;) {
    const short = (offset: number): number => view.getUint16(k + offset, true);
    const long = (offset: number): number => view.getUint32(k + offset, true);
    const [nameLength, extraLength] = [short(28), short(30)];
    const next = k + CENTRAL_BYTES + nameLength + extraLength + short(32);
    if (next > size) throw damaged();
    const inUtf8 = (short(8) & 0x800) !== 0;
    const name = new Uint8Array(view.buffer, k + CENTRAL_BYTES, nameLength);
    const entry = {
      path: new TextDecoder(inUtf8 ? 'utf-8' : 'latin1').decode(name),
      method: short(10),
      locked: (short(8) & 1) !== 0,
      packedSize: long(20),
      size: long(24),
      at: long(42),
    };
    readExtra(view, k + CENTRAL_BYTES + nameLength, extraLength, entry);
    if (entry.at + entry.packedSize > source.size) throw damaged();
    entries.push(entry);
    k = next;
  }
  return entries;
}

/** Where the content of an entry begins. @throws GeometryError `corrupt-file` if that lies behind the end of the archive */
export function contentStart(source: ByteSource, { at }: ZipEntry): number {
  const view = viewOf(source, at, LOCAL_BYTES);
  if (view.getUint32(0, true) !== LOCAL) throw damaged();
  const start = at + LOCAL_BYTES + view.getUint16(26, true) + view.getUint16(28, true);
  if (start > source.size) throw damaged();
  return start;
}

function findDirectory(source: ByteSource): { at: number; size: number } {
  const tail = Math.min(source.size, END_BYTES + LONGEST_COMMENT);
  const view = viewOf(source, source.size - tail, tail);
  for (let k = tail - END_BYTES; k >= 0; k--) {
    if (view.getUint32(k, true) !== END) continue;
    const found = { at: view.getUint32(k + 16, true), size: view.getUint32(k + 12, true) };
    const entries = view.getUint16(k + 10, true);
    const wide = entries === 0xffff || found.at === SEE_EXTRA || found.size === SEE_EXTRA;
    const { at, size } = wide ? (findDirectory64(source, source.size - tail + k) ?? found) : found;
    if (at + size > source.size || size > LARGEST_DIRECTORY) throw damaged();
    return { at, size };
  }
  throw damaged();
}

function findDirectory64(source: ByteSource, end: number): { at: number; size: number } | undefined {
  if (end < 20) return undefined;
  const locator = viewOf(source, end - 20, 20);
  if (locator.getUint32(0, true) !== END_64_LOCATOR) return undefined;
  const place = Number(locator.getBigUint64(8, true));
  if (place + 56 > source.size) throw damaged();
  const view = viewOf(source, place, 56);
  if (view.getUint32(0, true) !== END_64) throw damaged();
  return { size: Number(view.getBigUint64(40, true)), at: Number(view.getBigUint64(48, true)) };
}

/** Takes sizes and place from the 64-bit extra field, where the entry refers to it. */
function readExtra(view: DataView, from: number, length: number, entry: ZipEntry): void {
  for (let k = from; k + 4 <= from + length;) {
    const [id, size] = [view.getUint16(k, true), view.getUint16(k + 2, true)];
    let at = k + 4;
    k = at + size;
    if (id !== EXTRA_64) continue;
    for (const field of ['size', 'packedSize', 'at'] as const) {
      if (entry[field] !== SEE_EXTRA || at + 8 > Math.min(k, from + length)) continue;
      entry[field] = Number(view.getBigUint64(at, true));
      at += 8;
    }
  }
}

function viewOf(source: ByteSource, at: number, length: number): DataView {
  const bytes = new Uint8Array(length);
  if (source.read(at, bytes) < length) throw damaged();
  return new DataView(bytes.buffer);
}

const damaged = (): GeometryError => new GeometryError('corrupt-file', 'its list of files is cut off or damaged');

import { GeometryError } from '../runtime/geometry-error.js';

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
  kind: 'cloud' | 'cut' | 'mesh' | 'model' | 'light' | 'frames' | 'capture' | 'selection' | 'deviation';
  meta: Record<string, unknown>;
  tables: BundleTable[];
}

export type Column = Float32Array | Uint8Array | Uint16Array | Uint32Array;
const BYTES = { f32: 4, u8: 1, u16: 2, u32: 4 } as const;
const KINDS = { f32: Float32Array, u8: Uint8Array, u16: Uint16Array, u32: Uint32Array } as const;
/** The first four bytes of every bundle, as a little-endian number. */
export const BUNDLE_MAGIC = 0x31424b41;
const PAGE_ROWS = 16_384;

const typeOf = (a: Column): BundleTable['columns'][number]['type'] =>
  a instanceof Float32Array ? 'f32' : a instanceof Uint8Array ? 'u8' : a instanceof Uint16Array ? 'u16' : 'u32';

/** Without bit operations: what a damaged header claims may be larger than these can tell. */
const padded = (bytes: number): number => bytes + ((4 - (bytes % 4)) % 4);

function pageBytes(table: BundleTable, rows: number): number {
  return table.columns.reduce((n, c) => n + padded(rows * c.size * BYTES[c.type]), 0);
}

/** One table to write. */
export interface TableData {
  name: string;
  rows: number;
  columns: { name: string; data: Column; size: number }[];
  pageRows?: number;
  /** The rows are written in this order; as they are without. */
  order?: Uint32Array;
}

/** The bytes of a bundle. */
export function encodeBundle(
  kind: BundleHeader['kind'],
  meta: Record<string, unknown>,
  tables: TableData[],
): Uint8Array {
  const { head, total } = beginning(kind, meta, tables.map(tableOf));
  const out = new Uint8Array(total);
  let at = 0;
  for (const part of partsOf(head, tables)) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/** The same bytes one part after another, so that they need not be held at once. A part is valid until the next. */
export function bundleParts(
  kind: BundleHeader['kind'],
  meta: Record<string, unknown>,
  tables: TableData[],
): Generator<Uint8Array> {
  return partsOf(beginning(kind, meta, tables.map(tableOf)).head, tables);
}

/** Opaque bytes to write as a table of one page; they come when they are asked for. */
export interface ChunkOfBytes {
  name: string;
  length: number;
}

/**
 * A bundle whose tables are opaque bytes (column `bundle`), read one after another while it is written. The same bytes as
 * `encodeBundle` gives for tables of one page.
 * @param read gives the bytes of the next chunk, of the length announced
 */
export async function* bundleOfChunks(
  kind: BundleHeader['kind'],
  meta: Record<string, unknown>,
  chunks: readonly ChunkOfBytes[],
  read: (index: number) => Promise<Uint8Array>,
): AsyncGenerator<Uint8Array> {
  const columns: BundleTable['columns'] = [{ name: 'bundle', type: 'u8', size: 1 }];
  const tables = chunks.map(({ name, length: rows }) => ({ name, rows, pageRows: Math.max(1, rows), columns }));
  yield beginning(kind, meta, tables).head;
  for (let i = 0; i < chunks.length; i++) {
    const { length } = chunks[i];
    const bytes = await read(i);
    if (bytes.length !== length)
      throw new GeometryError('corrupt-file', `${chunks[i].name} has ${bytes.length} bytes, not ${length} as before.`);
    yield bytes;
    if (padded(length) > length) yield new Uint8Array(padded(length) - length);
  }
}

/** What stands before the tables, and the length of everything. */
function beginning(
  kind: BundleHeader['kind'],
  meta: Record<string, unknown>,
  tables: BundleTable[],
): { head: Uint8Array; total: number } {
  const header: BundleHeader = { kind, meta, tables };
  const json = JSON.stringify(header);
  const length = new TextEncoder().encode(json).length;
  const text = new TextEncoder().encode(json + ' '.repeat((8 - (length % 8)) % 8));
  const head = new Uint8Array(8 + text.length);
  const view = new DataView(head.buffer);
  view.setUint32(0, BUNDLE_MAGIC, true);
  view.setUint32(4, text.length, true);
  head.set(text, 8);
  let total = head.length;
  for (const t of header.tables)
    for (let r = 0; r < t.rows; r += t.pageRows) total += pageBytes(t, Math.min(t.pageRows, t.rows - r));
  return { head, total };
}

const tableOf = (t: TableData): BundleTable => ({
  name: t.name,
  rows: t.rows,
  pageRows: t.pageRows ?? PAGE_ROWS,
  columns: t.columns.map((c) => ({ name: c.name, type: typeOf(c.data), size: c.size })),
});

function* partsOf(head: Uint8Array, tables: TableData[]): Generator<Uint8Array> {
  yield head;
  for (const data of tables) {
    const table = tableOf(data);
    const page = new Uint8Array(pageBytes(table, Math.min(table.pageRows, table.rows)));
    for (let first = 0; first < table.rows; first += table.pageRows) {
      const rows = Math.min(table.pageRows, table.rows - first);
      yield page.subarray(0, fillPage(page, data, first, rows));
    }
  }
}

/** Writes rows of all columns, one column behind the other. @returns bytes that takes */
function fillPage(page: Uint8Array<ArrayBuffer>, { columns, order }: TableData, first: number, rows: number): number {
  let at = 0;
  for (const c of columns) {
    const length = rows * c.size * c.data.BYTES_PER_ELEMENT;
    if (order) gather(c, order.subarray(first, first + rows), page.buffer, at);
    else {
      const part = c.data.subarray(first * c.size, (first + rows) * c.size);
      page.set(new Uint8Array(part.buffer, part.byteOffset, part.byteLength), at);
    }
    page.fill(0, at + length, at + padded(length));
    at += padded(length);
  }
  return at;
}

/** Writes the rows named, in their order, without a copy of the whole column. */
function gather({ data, size }: TableData['columns'][number], rows: Uint32Array, into: ArrayBuffer, at: number): void {
  const kind = data.constructor as new (buffer: ArrayBuffer, at: number, length: number) => typeof data;
  const out = new kind(into, at, rows.length * size);
  for (let i = 0; i < rows.length; i++) for (let k = 0; k < size; k++) out[i * size + k] = data[rows[i] * size + k];
}

/** Reads a bundle piece by piece as bytes arrive; complete pages are handed on at once. */
export class BundleReader {
  header?: BundleHeader;
  /** Bytes that arrived and were not read yet: the first `held` of the room made for them. */
  private room = new Uint8Array(0);
  private held = 0;
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
    // What arrives whole is read where it lies. Slices of a Buffer of Node.js would be no copies.
    const plain = new Uint8Array(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const all = this.held === 0 ? plain : this.joined(plain);
    const read = this.read(all);
    this.keep(all.subarray(read));
  }

  /** What was held with the next bytes behind it. */
  private joined(bytes: Uint8Array): Uint8Array {
    const length = this.held + bytes.length;
    if (length > this.room.length) this.room = enlarged(this.room.subarray(0, this.held), 2 * length);
    this.room.set(bytes, this.held);
    return this.room.subarray(0, length);
  }

  private keep(rest: Uint8Array): void {
    if (rest.buffer === this.room.buffer) this.room.copyWithin(0, rest.byteOffset, rest.byteOffset + rest.length);
    else if (rest.length > this.room.length) this.room = enlarged(rest, 2 * rest.length);
    else this.room.set(rest);
    this.held = rest.length;
  }

  /** Hands on what is complete. @returns how many bytes that took */
  private read(bytes: Uint8Array): number {
    let at = 0;
    if (!this.header) {
      if (bytes.length < 8) return 0;
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      if (view.getUint32(0, true) !== BUNDLE_MAGIC)
        throw new GeometryError('corrupt-file', 'These are not the bytes of a bundle.');
      const length = view.getUint32(4, true);
      if (length > 1 << 24) throw new GeometryError('corrupt-file', `The bundle's header claims ${length} bytes.`);
      if (bytes.length < 8 + length) return 0;
      this.header = headerOf(bytes.subarray(8, 8 + length));
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
      if (bytes.length - at < size) break;
      const columns: Record<string, Column> = {};
      for (const c of t.columns) {
        const length = rows * c.size;
        const bytesHere = bytes.slice(at, at + length * BYTES[c.type]);
        columns[c.name] = c.type === 'u8' ? bytesHere : new KINDS[c.type](bytesHere.buffer);
        at += padded(bytesHere.length);
      }
      this.onPage(t.name, this.row, rows, columns);
      this.row += rows;
    }
    return at;
  }

  get complete(): boolean {
    return this.header !== undefined && this.table >= this.header.tables.length;
  }
}

/** A copy with more room behind it. */
function enlarged(bytes: Uint8Array, length: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(length);
  out.set(bytes);
  return out;
}

/** @throws GeometryError `corrupt-file` if it is no header: whoever reads on may rely on its shape */
function headerOf(bytes: Uint8Array): BundleHeader {
  try {
    const header = JSON.parse(new TextDecoder().decode(bytes)) as BundleHeader;
    const names = header.tables.map((t) => t.name);
    if (isRecord(header.meta) && header.tables.every(isTable) && new Set(names).size === names.length) return header;
  } catch {
    // Said below.
  }
  throw new GeometryError('corrupt-file', 'The header of the bundle is damaged.');
}

const isRecord = (v: unknown): boolean => typeof v === 'object' && v !== null;
const isCount = (v: unknown): boolean => Number.isSafeInteger(v) && (v as number) >= 0;

function isTable(t: BundleTable): boolean {
  const columns = t.columns.map((c) => c.name);
  return (
    typeof t.name === 'string' &&
    isCount(t.rows) &&
    isCount(t.pageRows) &&
    (t.pageRows > 0 || t.rows === 0) &&
    new Set(columns).size === columns.length &&
    t.columns.every((c) => typeof c.name === 'string' && c.type in KINDS && isCount(c.size) && c.size > 0)
  );
}

/** All tables of a complete bundle, columns joined. @throws GeometryError `corrupt-file` if it is cut off */
export function decodeBundle(bytes: Uint8Array): {
  header: BundleHeader;
  tables: Record<string, Record<string, Column>>;
} {
  const tables: Record<string, Record<string, Column>> = {};
  const reader: BundleReader = new BundleReader((name, first, _rows, columns) => {
    const t = reader.header!.tables.find((x) => x.name === name)!;
    // Before room is made for it: a table that is not all there has no room to claim.
    if (pageBytes(t, t.rows) > bytes.length) throw new GeometryError('corrupt-file', 'The stored data is incomplete.');
    const target = (tables[name] ??= Object.fromEntries(
      t.columns.map((c) => {
        const n = t.rows * c.size;
        return [c.name, new KINDS[c.type](n)];
      }),
    ));
    for (const c of t.columns) target[c.name].set(columns[c.name], first * c.size);
  });
  reader.push(bytes);
  if (!reader.complete) throw new GeometryError('corrupt-file', 'The stored data is incomplete.');
  return { header: reader.header!, tables };
}

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
  kind: 'cloud' | 'cut' | 'mesh' | 'model' | 'frames' | 'capture' | 'selection';
  meta: Record<string, unknown>;
  tables: BundleTable[];
}

export type Column = Float32Array | Uint8Array | Uint16Array | Uint32Array;
const BYTES = { f32: 4, u8: 1, u16: 2, u32: 4 } as const;
const MAGIC = 0x31424b41;
const PAGE_ROWS = 16_384;

const typeOf = (a: Column): BundleTable['columns'][number]['type'] =>
  a instanceof Float32Array ? 'f32' : a instanceof Uint8Array ? 'u8' : a instanceof Uint16Array ? 'u16' : 'u32';

const padded = (bytes: number): number => (bytes + 3) & ~3;

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
        const { order } = tables[i];
        if (order) gather(c, order.subarray(r, r + rows), out.buffer, at);
        else {
          const part = c.data.subarray(r * c.size, (r + rows) * c.size);
          out.set(new Uint8Array(part.buffer, part.byteOffset, part.byteLength), at);
        }
        at += padded(rows * c.size * c.data.BYTES_PER_ELEMENT);
      }
    }
  });
  return out;
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

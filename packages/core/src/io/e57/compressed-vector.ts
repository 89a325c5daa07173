import { GeometryError } from '../../runtime/geometry-error.js';
import { cutOff } from '../scan-file.js';
import { ColumnReader, type Column } from './columns.js';
import type { PagedSource, PageWriter } from './pages.js';

/** Sections and packets of a CompressedVector (ASTM E2807-11, section 9). */
const VECTOR_SECTION = 1;
const SECTION_HEADER = 32;
const INDEX_PACKET = 0;
const DATA_PACKET = 1;
const IGNORED_PACKET = 2;
const LARGEST_PACKET = 65536;

/**
 * Unpacks the points of a CompressedVector, column by column as its packets come. O(values), in bounded memory.
 * @param at place of the section in the file
 * @param setterOf takes a column's values; columns without one are passed over
 * @throws GeometryError `corrupt-file`
 */
export function readCompressedVector(
  source: PagedSource,
  at: number,
  count: number,
  columns: readonly Column[],
  setterOf: (column: Column) => ((i: number, v: number) => void) | undefined,
  step: (done: number) => void = () => undefined,
): void {
  const start = source.logical(at);
  const head = new Uint8Array(SECTION_HEADER);
  const view = new DataView(head.buffer);
  if (source.read(start, head) < SECTION_HEADER || head[0] !== VECTOR_SECTION)
    throw new GeometryError('corrupt-file', 'The file names a place for its points where there are none.');
  const end = Math.min(source.size, start + Number(view.getBigUint64(8, true)));
  let place = source.logical(Number(view.getBigUint64(16, true)));
  const readers = columns.map((c) => {
    const set = setterOf(c);
    return set && new ColumnReader(c, count, set);
  });
  const wanted = readers.filter((r) => r !== undefined);
  const slowest = (): number => wanted.reduce((least, r) => Math.min(least, r.done), count);
  const lengths = new Uint8Array(2 * columns.length);
  while (slowest() < count) {
    // Six bytes say how large a packet is and how many streams it has.
    if (place + 4 > end || source.read(place, head.subarray(0, 6)) < 4) throw cutOff(slowest(), count, 'points');
    const size = view.getUint16(2, true) + 1;
    if (head[0] > IGNORED_PACKET || place + size > source.size)
      throw new GeometryError('corrupt-file', 'The points of the file hold a packet of no known kind.');
    if (head[0] === DATA_PACKET) {
      const streams = view.getUint16(4, true);
      if (streams !== columns.length)
        throw new GeometryError('corrupt-file', `A packet has ${streams} columns instead of ${columns.length}.`);
      source.read(place + 6, lengths);
      let from = place + 6 + lengths.length;
      readers.forEach((reader, k) => {
        const n = lengths[2 * k] | (lengths[2 * k + 1] << 8);
        if (from + n > place + size) throw new GeometryError('corrupt-file', 'A packet holds less than it says.');
        if (reader) {
          source.read(from, reader.room(n));
          reader.unpack();
        }
        from += n;
      });
      step(slowest());
    } else if (head[0] === INDEX_PACKET && size < 16) {
      throw new GeometryError('corrupt-file', 'An index packet is too short.');
    }
    place += size;
  }
}

/** One column to be written: its values as the bytes of its stream, `width` bytes each. */
export interface WrittenColumn {
  width: number;
  /** Writes value i at `at`. */
  put(view: DataView, at: number, i: number): void;
}

/** Writes the points as data packets of whole values. @returns the section's place in the file */
export function writeCompressedVector(pages: PageWriter, count: number, columns: readonly WrittenColumn[]): number {
  pages.align();
  const at = pages.physical();
  const head = 6 + 2 * columns.length;
  const record = columns.reduce((s, c) => s + c.width, 0);
  const perPacket = Math.floor((LARGEST_PACKET - head - 4) / record);
  const sizeOf = (n: number): number => 4 * Math.ceil((head + n * record) / 4);
  const whole = Math.floor(count / perPacket);
  const rest = count - whole * perPacket;
  const packets = whole * sizeOf(perPacket) + (rest > 0 ? sizeOf(rest) : 0);
  const header = new DataView(new ArrayBuffer(SECTION_HEADER));
  header.setUint8(0, VECTOR_SECTION);
  header.setBigUint64(8, BigInt(SECTION_HEADER + packets), true);
  // The packets follow the header, and there is no index.
  header.setBigUint64(16, BigInt(pages.physical(SECTION_HEADER)), true);
  pages.write(new Uint8Array(header.buffer));
  for (let from = 0; from < count; from += perPacket) {
    const n = Math.min(perPacket, count - from);
    const packet = new Uint8Array(sizeOf(n));
    const view = new DataView(packet.buffer);
    packet[0] = DATA_PACKET;
    view.setUint16(2, packet.length - 1, true);
    view.setUint16(4, columns.length, true);
    let place = head;
    columns.forEach((column, k) => {
      view.setUint16(6 + 2 * k, n * column.width, true);
      for (let i = 0; i < n; i++, place += column.width) column.put(view, place, from + i);
    });
    pages.write(packet);
  }
  return at;
}

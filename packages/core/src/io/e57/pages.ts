import { GeometryError } from '../../runtime/geometry-error.js';
import { firstBytes, sourceOf, type Bytes, type ByteSource } from '../byte-source.js';
import { crc32c } from './crc32c.js';

/** Bytes of a page's checksum, after its content. */
const CHECKSUM = 4;
/** Size of the pages that are written, as everybody's. */
const PAGE = 1024;
/** Pages held at a time while reading. */
const HELD = 256;

export const FILE_HEADER_BYTES = 48;
const SIGNATURE = 'ASTM-E57';

/** What stands at the beginning of the file. Offsets are physical: they count checksums too. */
export interface FileHeader {
  fileLength: number;
  xmlOffset: number;
  xmlLength: number;
  pageSize: number;
}

export function looksLikeE57(bytes: Bytes): boolean {
  return String.fromCharCode(...firstBytes(bytes, SIGNATURE.length)) === SIGNATURE;
}

/** @throws GeometryError `corrupt-file`, `unsupported-format` for another major version */
export function readFileHeader(bytes: Bytes): FileHeader {
  const head = firstBytes(bytes, FILE_HEADER_BYTES);
  const { size } = sourceOf(bytes);
  if (!looksLikeE57(bytes) || head.length < FILE_HEADER_BYTES)
    throw new GeometryError('corrupt-file', 'This is not an E57 file: it does not begin like one.');
  const view = new DataView(head.buffer);
  const major = view.getUint32(8, true);
  if (major !== 1) throw new GeometryError('unsupported-format', `E57 version ${major} is not known; 1 is read.`);
  const long = (at: number): number => Number(view.getBigUint64(at, true));
  const header = { fileLength: long(16), xmlOffset: long(24), xmlLength: long(32), pageSize: long(40) };
  if (header.fileLength > size) {
    throw new GeometryError(
      'corrupt-file',
      `The file ends after ${size} of ${header.fileLength} bytes. It was cut off; copy or export it again.`,
    );
  }
  const fits = header.xmlOffset >= FILE_HEADER_BYTES && header.xmlOffset + header.xmlLength <= size;
  if (!fits || header.pageSize < 64 || header.pageSize > 1 << 20)
    throw new GeometryError('corrupt-file', 'The head of this E57 file names places outside of it.');
  return header;
}

/** The content of an E57 file without its checksums, each of which is checked as its page is read. */
export class PagedSource implements ByteSource {
  readonly size: number;
  private readonly source: ByteSource;
  private readonly content: number;
  private readonly held: Uint8Array;
  private firstHeld = -1;

  constructor(
    bytes: Bytes,
    private readonly pageSize: number,
  ) {
    this.source = sourceOf(bytes);
    this.content = pageSize - CHECKSUM;
    this.size = Math.floor(this.source.size / pageSize) * this.content;
    this.held = new Uint8Array(HELD * pageSize);
  }

  /** A place in the file as a place in its content. */
  logical(physical: number): number {
    return physical - CHECKSUM * Math.floor(physical / this.pageSize);
  }

  /** @throws GeometryError `corrupt-file` if a page is damaged */
  read(at: number, into: Uint8Array): number {
    let done = 0;
    while (done < into.length && at + done < this.size) {
      const page = Math.floor((at + done) / this.content);
      const inside = at + done - page * this.content;
      const from = this.hold(page) * this.pageSize + inside;
      const n = Math.min(this.content - inside, into.length - done);
      into.set(this.held.subarray(from, from + n), done);
      done += n;
    }
    return done;
  }

  /** Brings a page into memory and checks it. @returns its place among the held ones */
  private hold(page: number): number {
    if (this.firstHeld >= 0 && page >= this.firstHeld && page < this.firstHeld + HELD) return page - this.firstHeld;
    const read = this.source.read(page * this.pageSize, this.held);
    const view = new DataView(this.held.buffer);
    for (let i = 0; (i + 1) * this.pageSize <= read; i++) {
      const from = i * this.pageSize;
      // The checksum stands high byte first, unlike all other numbers of the file.
      if (view.getUint32(from + this.content, false) !== crc32c(this.held, from, from + this.content)) {
        throw new GeometryError(
          'corrupt-file',
          `Page ${page + i} of the file is damaged: its checksum is wrong. Copy or export the file again.`,
        );
      }
    }
    this.firstHeld = page;
    return 0;
  }
}

/** Writes content into pages with checksums. */
export class PageWriter {
  private readonly parts: Uint8Array[] = [];
  private page = new Uint8Array(PAGE);
  private filled = 0;

  constructor() {
    // The header is put in at the end.
    this.write(new Uint8Array(FILE_HEADER_BYTES));
  }

  /** Place in the file of what is written next, or `ahead` bytes of content after it. */
  physical(ahead = 0): number {
    const content = this.parts.length * (PAGE - CHECKSUM) + this.filled + ahead;
    return content + CHECKSUM * Math.floor(content / (PAGE - CHECKSUM));
  }

  write(bytes: Uint8Array): void {
    for (let at = 0; at < bytes.length;) {
      const n = Math.min(PAGE - CHECKSUM - this.filled, bytes.length - at);
      this.page.set(bytes.subarray(at, at + n), this.filled);
      at += n;
      this.filled += n;
      if (this.filled === PAGE - CHECKSUM) this.turn();
    }
  }

  /** Fills up with zeros to a multiple of four, as sections and packets must begin there. */
  align(): void {
    if (this.filled % 4 > 0) this.write(new Uint8Array(4 - (this.filled % 4)));
  }

  private turn(): void {
    this.parts.push(this.page);
    this.page = new Uint8Array(PAGE);
    this.filled = 0;
  }

  /** Writes the XML section and the header. @returns the file */
  finish(xml: Uint8Array): Uint8Array {
    this.align();
    const xmlOffset = this.physical();
    this.write(xml);
    if (this.filled > 0) this.turn();
    const out = new Uint8Array(this.parts.length * PAGE);
    this.parts.forEach((p, i) => out.set(p, i * PAGE));
    const view = new DataView(out.buffer);
    out.set(new TextEncoder().encode(SIGNATURE));
    view.setUint32(8, 1, true);
    view.setUint32(12, 0, true);
    [out.length, xmlOffset, xml.length, PAGE].forEach((v, k) => view.setBigUint64(16 + 8 * k, BigInt(v), true));
    for (let from = 0; from < out.length; from += PAGE)
      view.setUint32(from + PAGE - CHECKSUM, crc32c(out, from, from + PAGE - CHECKSUM), false);
    return out;
  }
}

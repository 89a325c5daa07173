/** Bytes that are read piece by piece, from memory or from a file: a large file needs no memory of its size. */
export interface ByteSource {
  readonly size: number;
  /** Copies bytes from `at` on into `into`, as many as there are. @returns how many were copied */
  read(at: number, into: Uint8Array): number;
}

/** What readers take. */
export type Bytes = Uint8Array | ByteSource;

/** Bytes in memory as a source. */
export function sourceOf(bytes: Bytes): ByteSource {
  if (!(bytes instanceof Uint8Array)) return bytes;
  return {
    size: bytes.length,
    read(at, into) {
      const part = bytes.subarray(at, at + into.length);
      into.set(part);
      return part.length;
    },
  };
}

/** A part of another source, as it lies there. */
export class PartOfSource implements ByteSource {
  constructor(
    private readonly source: ByteSource,
    private readonly start: number,
    readonly size: number,
  ) {}

  read(at: number, into: Uint8Array): number {
    const n = Math.max(0, Math.min(into.length, this.size - at));
    return this.source.read(this.start + at, into.subarray(0, n));
  }
}

/** All bytes at once, for formats that can't be read otherwise. */
export function allBytes(bytes: Bytes): Uint8Array {
  if (bytes instanceof Uint8Array) return bytes;
  const out = new Uint8Array(bytes.size);
  const held = bytes.read(0, out);
  return held === out.length ? out : out.subarray(0, held);
}

/** The first `n` bytes, or fewer if there are no more. */
export function firstBytes(bytes: Bytes, n: number): Uint8Array {
  const source = sourceOf(bytes);
  const out = new Uint8Array(Math.min(n, source.size));
  source.read(0, out);
  return out;
}

const WINDOW = 1 << 20;
const NEWLINE = 10;

/** Reads a source from front to back through a window of a megabyte. */
export class ByteCursor {
  /** The window. Valid until the next `need`. */
  view = new DataView(new ArrayBuffer(0));
  /** Place of the next byte in the window. */
  offset = 0;
  private readonly source: ByteSource;
  private bytes = new Uint8Array(0);
  /** Place of the window in the source, and how much of it is filled. */
  private start: number;
  private filled = 0;

  constructor(bytes: Bytes, at = 0) {
    this.source = sourceOf(bytes);
    this.start = at;
  }

  /** Place of the next byte in the source. */
  get position(): number {
    return this.start + this.offset;
  }

  /** Bytes from the next one to the end of the source. */
  get left(): number {
    return this.source.size - this.position;
  }

  /** Brings the next `n` bytes into the window. @returns false if the source ends before */
  need(n: number): boolean {
    if (this.offset + n <= this.filled) return true;
    if (n > this.left) return false;
    const rest = this.bytes.subarray(this.offset, this.filled);
    const size = Math.max(n, Math.min(WINDOW, this.left));
    const fresh = size > this.bytes.length ? new Uint8Array(size) : this.bytes;
    if (fresh === this.bytes) this.bytes.copyWithin(0, this.offset, this.filled);
    else fresh.set(rest);
    this.start += this.offset;
    this.offset = 0;
    this.filled = rest.length;
    this.filled += this.source.read(this.start + this.filled, fresh.subarray(this.filled, size));
    if (fresh !== this.bytes) this.view = new DataView(fresh.buffer);
    this.bytes = fresh;
    return n <= this.filled;
  }

  skip(n: number): void {
    this.offset += n;
  }

  /** The next run of bytes above 32, as characters; "" at the end. */
  word(): string {
    while (this.need(1) && this.bytes[this.offset] <= 32) this.offset++;
    let word = '';
    while (this.need(1) && this.bytes[this.offset] > 32) word += String.fromCharCode(this.bytes[this.offset++]);
    return word;
  }

  /** The next line without its end, as UTF-8; undefined at the end. Longer than a megabyte it comes in parts. */
  line(): string | undefined {
    if (!this.need(1)) return undefined;
    let end = this.bytes.subarray(0, this.filled).indexOf(NEWLINE, this.offset);
    if (end < 0) {
      this.need(Math.min(WINDOW, this.left));
      end = this.bytes.subarray(0, this.filled).indexOf(NEWLINE, this.offset);
    }
    const to = end < 0 ? this.filled : end;
    const text = DECODER.decode(this.bytes.subarray(this.offset, to));
    this.offset = end < 0 ? to : to + 1;
    return text.endsWith('\r') ? text.slice(0, -1) : text;
  }
}

const DECODER = new TextDecoder();

/** The lines of a text, one at a time. */
export function* linesOf(bytes: Bytes): Generator<string> {
  const cursor = new ByteCursor(bytes);
  for (let line = cursor.line(); line !== undefined; line = cursor.line()) yield line;
}

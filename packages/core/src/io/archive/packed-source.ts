import { Inflate } from 'fflate';
import { GeometryError } from '../../runtime/geometry-error.js';
import type { ByteSource } from '../byte-source.js';

/** Bytes of the archive taken at a time: what they unpack to is held at once. */
const PIECE = 16 * 1024;
/** The beginning is looked at again and again, to find out what a file is: it is kept. */
const HEAD = 64 * 1024;

/**
 * A deflated file inside an archive, unpacked as it is read from front to back: it needs no memory of its size. Going back
 * begins anew. Ends early where the packed data do.
 * Source: P. Deutsch (1996), RFC 1951, DEFLATE compressed data format.
 */
export class DeflatedSource implements ByteSource {
  private inflate?: Inflate;
  private taken = 0;
  /** Unpacked and not passed yet, the first byte of it at `start`. */
  private pieces: Uint8Array[] = [];
  private start = 0;
  private held = 0;
  private head?: Uint8Array;

  /**
   * @param name for messages
   * @param size of the file when unpacked, as the archive says; more is cut off
   */
  constructor(
    private readonly packed: ByteSource,
    readonly size: number,
    private readonly name: string,
  ) {}

  /** @throws GeometryError `corrupt-file` if the packed data are damaged */
  read(at: number, into: Uint8Array): number {
    const wanted = Math.max(0, Math.min(into.length, this.size - at));
    if (at + wanted <= HEAD) {
      this.head ??= this.unpackHead();
      const part = this.head.subarray(at, at + wanted);
      into.set(part);
      return part.length;
    }
    return this.unpack(at, into.subarray(0, wanted));
  }

  private unpackHead(): Uint8Array {
    const head = new Uint8Array(Math.min(HEAD, this.size));
    return head.subarray(0, this.unpack(0, head));
  }

  private unpack(at: number, into: Uint8Array): number {
    if (!this.inflate || at < this.start) this.begin();
    let done = 0;
    while (done < into.length) {
      this.forget(at + done);
      if (this.start + this.held <= at + done) {
        if (!this.feed()) break;
        continue;
      }
      const [piece] = this.pieces;
      const from = at + done - this.start;
      const part = piece.subarray(from, from + into.length - done);
      into.set(part, done);
      done += part.length;
    }
    return done;
  }

  private begin(): void {
    this.pieces = [];
    this.start = this.held = this.taken = 0;
    this.inflate = new Inflate((piece) => {
      this.pieces.push(piece);
      this.held += piece.length;
    });
  }

  /** Drops pieces that end before a place. */
  private forget(before: number): void {
    while (this.pieces.length > 0 && this.start + this.pieces[0].length <= before) {
      const { length } = this.pieces.shift()!;
      this.start += length;
      this.held -= length;
    }
  }

  /** Unpacks the next piece of the archive. @returns false if there is none */
  private feed(): boolean {
    const n = Math.min(PIECE, this.packed.size - this.taken);
    if (n <= 0) return false;
    const piece = new Uint8Array(n);
    this.packed.read(this.taken, piece);
    this.taken += n;
    try {
      this.inflate!.push(piece, this.taken >= this.packed.size);
    } catch {
      throw new GeometryError('corrupt-file', `${this.name} can't be unpacked: it is damaged. Pack it again.`);
    }
    return true;
  }
}

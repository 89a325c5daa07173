import { GeometryError } from '../../runtime/geometry-error.js';
import { ByteCursor, type ByteSource } from '../byte-source.js';

/** References reach back so far at most. */
const REACH = 8192;
/** The longest run that one control byte makes. */
const LONGEST_RUN = 264;
/** The shortest control sequence that makes the longest run has three bytes. */
const MOST_PER_BYTE = LONGEST_RUN / 3;
/** Unpacked bytes held at a time. */
const PIECE = 1 << 16;

/**
 * Bytes packed by LZF (runs of literals and references back into what was unpacked already), unpacked as they are read
 * from front to back: only the last of them are held. Reading back beyond what was read last is refused.
 * Source: M. Lehmann (2000), LibLZF, the format's description.
 */
export class LzfSource implements ByteSource {
  private readonly bytes = new Uint8Array(REACH + PIECE + LONGEST_RUN);
  /** Place in the unpacked bytes of the first one in `bytes`, and how many of them are filled. */
  private start = 0;
  private filled = 0;
  private readonly end: number;

  /**
   * @param packed stands at the first packed byte
   * @param length of the packed bytes
   * @param size of the unpacked bytes, as the file says
   * @throws GeometryError `corrupt-file` if no such stream can give as many
   */
  constructor(
    private readonly packed: ByteCursor,
    length: number,
    readonly size: number,
  ) {
    this.end = packed.position + length;
    if (size > MOST_PER_BYTE * length) throw damaged();
  }

  /** @throws GeometryError `corrupt-file` if the stream is damaged or does not give exactly `size` bytes */
  read(at: number, into: Uint8Array): number {
    if (at < this.start) throw new RangeError('Packed bytes are read from front to back.');
    const wanted = Math.max(0, Math.min(into.length, this.size - at));
    let done = 0;
    while (done < wanted) {
      if (this.start + this.filled <= at + done) {
        this.unpackPiece();
        continue;
      }
      const from = at + done - this.start;
      const part = this.bytes.subarray(from, Math.min(this.filled, from + wanted - done));
      into.set(part, done);
      done += part.length;
    }
    return done;
  }

  /** Unpacks about `PIECE` more bytes; the last before them stay for references. */
  private unpackPiece(): void {
    const { bytes, packed } = this;
    const dropped = Math.max(0, this.filled - REACH);
    bytes.copyWithin(0, dropped, this.filled);
    this.start += dropped;
    let o = this.filled - dropped;
    const enough = o + PIECE;
    while (o < enough && packed.position < this.end) {
      if (!packed.need(1)) throw damaged();
      const control = packed.view.getUint8(packed.offset);
      if (control < 32) {
        const run = control + 1;
        if (!packed.need(1 + run)) throw damaged();
        for (let k = 1; k <= run; k++) bytes[o++] = packed.view.getUint8(packed.offset + k);
        packed.skip(1 + run);
        continue;
      }
      const long = control >> 5 === 7;
      if (!packed.need(long ? 3 : 2)) throw damaged();
      let run = (control >> 5) + 2 + (long ? packed.view.getUint8(packed.offset + 1) : 0);
      let from = o - ((control & 31) << 8) - packed.view.getUint8(packed.offset + (long ? 2 : 1)) - 1;
      packed.skip(long ? 3 : 2);
      if (from < 0) throw damaged();
      // The reference may run into what it writes: byte by byte.
      while (run-- > 0) bytes[o++] = bytes[from++];
    }
    const atEnd = packed.position >= this.end;
    if (atEnd ? packed.position > this.end || this.start + o !== this.size : this.start + o > this.size)
      throw damaged();
    this.filled = o;
  }
}

function damaged(): GeometryError {
  return new GeometryError('corrupt-file', 'The compressed part of the file is damaged. Export or copy it again.');
}

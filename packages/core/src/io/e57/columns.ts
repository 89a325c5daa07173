import { GeometryError } from '../../runtime/geometry-error.js';
import type { E57Node } from './nodes.js';

/** How the values of one field of the points are packed: a number each of so many bits, or a float. */
export interface Column {
  name: string;
  /** Bits of a value; 0 where all values are the same. */
  bits: number;
  kind: 'integer' | 'single' | 'double';
  /** Value = scale · (minimum + packed) + offset, for integers. */
  minimum: number;
  scale: number;
  offset: number;
  /** Exact minimum where numbers beyond 2⁵³ may come. */
  wide?: bigint;
}

/** Whole numbers a double holds exactly: packed values of more bits go through BigInt. */
const EXACT_BITS = 52;

/**
 * The columns of a CompressedVector, from its prototype. Fields of text have no column that can be unpacked.
 * @throws GeometryError `corrupt-file`, `unsupported-format` for fields of text
 */
export function columnsOf(prototype: E57Node): Column[] {
  return prototype.children.map((field) => {
    const { attributes: a, name } = field;
    const number = (key: string, usual: number): number => {
      const v = a[key] === undefined ? usual : Number(a[key]);
      if (!Number.isFinite(v)) throw new GeometryError('corrupt-file', `Field "${name}": ${key} is no number.`);
      return v;
    };
    if (a.type === 'Float') {
      const single = a.precision === 'single';
      return {
        name,
        kind: single ? 'single' : 'double',
        bits: single ? 32 : 64,
        minimum: 0,
        scale: 1,
        offset: 0,
      } satisfies Column;
    }
    if (a.type !== 'Integer' && a.type !== 'ScaledInteger')
      throw new GeometryError('unsupported-format', `Field "${name}" of the points is of kind "${a.type}".`);
    const [low, high] = [wholeOf(a.minimum, -(2n ** 63n), name), wholeOf(a.maximum, 2n ** 63n - 1n, name)];
    if (high < low) throw new GeometryError('corrupt-file', `Field "${name}" has a maximum below its minimum.`);
    const bits = high === low ? 0 : (high - low).toString(2).length;
    const scaled = a.type === 'ScaledInteger';
    return {
      name,
      kind: 'integer',
      bits,
      minimum: Number(low),
      scale: scaled ? number('scale', 1) : 1,
      offset: scaled ? number('offset', 0) : 0,
      ...(bits > EXACT_BITS ? { wide: low } : {}),
    } satisfies Column;
  });
}

function wholeOf(text: string | undefined, usual: bigint, name: string): bigint {
  if (text === undefined) return usual;
  if (!/^\s*[-+]?\d{1,20}\s*$/.test(text))
    throw new GeometryError('corrupt-file', `Field "${name}" has the bound "${text}", which is no whole number.`);
  return BigInt(text.trim().replace('+', ''));
}

/** Bytes behind the packed ones, so that a value may be read across the end. */
const PADDING = 16;

/** Unpacks one column from the pieces of its byte stream. Values run on from piece to piece. */
export class ColumnReader {
  /** Values unpacked so far. */
  done = 0;
  private bytes = new Uint8Array(0);
  private view = new DataView(this.bytes.buffer);
  private filled = 0;
  private bit = 0;

  constructor(
    readonly column: Column,
    private readonly count: number,
    private readonly set: (i: number, value: number) => void,
  ) {
    if (column.bits === 0) {
      const v = column.scale * column.minimum + column.offset;
      for (; this.done < count; this.done++) set(this.done, v);
    }
  }

  /** Makes room for the next `n` bytes of the stream, behind what is not unpacked yet. */
  room(n: number): Uint8Array {
    const from = this.bit >> 3;
    const rest = this.filled - from;
    if (this.bytes.length < rest + n + PADDING) {
      const larger = new Uint8Array(rest + n + PADDING);
      larger.set(this.bytes.subarray(from, this.filled));
      this.bytes = larger;
      this.view = new DataView(larger.buffer);
    } else this.bytes.copyWithin(0, from, this.filled);
    this.bit &= 7;
    this.filled = rest + n;
    return this.bytes.subarray(rest, rest + n);
  }

  /** Unpacks all whole values that are there. */
  unpack(): void {
    const { kind, bits, minimum, scale, offset, wide } = this.column;
    if (bits === 0) return;
    const n = Math.min(this.count - this.done, Math.floor((8 * this.filled - this.bit) / bits));
    for (let k = 0; k < n; k++) {
      if (kind === 'single') this.set(this.done++, this.view.getFloat32(this.bit >> 3, true));
      else if (kind === 'double') this.set(this.done++, this.view.getFloat64(this.bit >> 3, true));
      else if (wide !== undefined) this.set(this.done++, scale * Number(this.wide(bits) + wide) + offset);
      else this.set(this.done++, scale * (minimum + this.packed(bits)) + offset);
      this.bit += bits;
    }
  }

  /** The next value of at most 52 bits, low bits first. */
  private packed(bits: number): number {
    const byte = this.bit >> 3;
    const shift = this.bit & 7;
    const low = this.view.getUint32(byte, true) >>> shift;
    const have = 32 - shift;
    if (bits <= have) return bits === 32 ? low : low & (2 ** bits - 1);
    const rest = bits - have;
    const high = this.view.getUint32(byte + 4, true);
    return low + 2 ** have * (rest >= 32 ? high : (high & (2 ** rest - 1)) >>> 0);
  }

  private wide(bits: number): bigint {
    const byte = this.bit >> 3;
    const words = this.view.getBigUint64(byte, true) | (this.view.getBigUint64(byte + 8, true) << 64n);
    return (words >> BigInt(this.bit & 7)) & ((1n << BigInt(bits)) - 1n);
  }
}

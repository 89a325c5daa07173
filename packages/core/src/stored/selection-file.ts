import { decodeBundle, encodeBundle } from '../bundle/index.js';
import { BitSet } from '../geometry/bit-set.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** Selected points of one scan, counted in a stored cloud. */
export interface ScanSelection {
  scan: string;
  /** Id of the stored cloud. */
  base: string;
  points: BitSet;
}

/** Encodes selected points: one bit for each point of the stored clouds. */
export function encodeSelection(selection: readonly ScanSelection[]): Uint8Array {
  return encodeBundle(
    'selection',
    { scans: selection.map(({ scan, base, points }) => ({ scan, base, rows: points.size })) },
    selection.map(({ points }, i) => ({
      name: `points ${i}`,
      rows: points.bytes.length,
      pageRows: 1 << 20,
      columns: [{ name: 'bits', data: points.bytes, size: 1 }],
    })),
  );
}

/** @throws GeometryError `corrupt-file` if the bytes are not a selection or lie about their sizes */
export function decodeSelection(bytes: Uint8Array): ScanSelection[] {
  const { header, tables } = decodeBundle(bytes);
  const scans = header.meta.scans as { scan: string; base: string; rows: number }[] | undefined;
  if (header.kind !== 'selection' || !Array.isArray(scans)) {
    throw new GeometryError('corrupt-file', 'This file holds no selected points.');
  }
  return scans.map(({ scan, base, rows }, i) => {
    const bits = (tables[`points ${i}`]?.bits as Uint8Array | undefined) ?? new Uint8Array(0);
    if (!(rows >= 0) || bits.length !== Math.floor((rows + 7) / 8) || spareBits(bits, rows)) {
      throw new GeometryError('corrupt-file', `The selection of ${rows} points of "${scan}" is damaged.`);
    }
    return { scan, base, points: new BitSet(rows, bits) };
  });
}

const spareBits = (bits: Uint8Array, rows: number): boolean =>
  (rows & 7) !== 0 && bits[bits.length - 1] >> (rows & 7) !== 0;

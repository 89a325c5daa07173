import { decodeBundle, encodeBundle, type TableData } from '../bundle/index.js';
import { BitSet } from '../geometry/bit-set.js';
import { boundsOf, pointCount, selectPoints, type PointCloud } from '../geometry/point-cloud.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { CloudMeta } from './stored-artifacts.js';

/** A cloud kept as the points that are left of another stored cloud. */
export interface CutCloud {
  /** Id of the stored cloud. */
  base: string;
  /** Rows that are left. */
  kept: BitSet;
  backdrop?: Float32Array;
  meta: CloudMeta;
}

/**
 * The rows of `base` that make up `cloud`, if it is nothing but some of its points, unchanged; else undefined: then it
 * must be stored as it is. O(n).
 */
export function rowsLeftOf(base: PointCloud, cloud: PointCloud): BitSet | undefined {
  const { rows } = cloud;
  const total = pointCount(base);
  if (!rows || rows.length !== pointCount(cloud)) return undefined;
  if (!base.colors !== !cloud.colors || !base.normals !== !cloud.normals) return undefined;
  const kept = new BitSet(total);
  for (let i = 0; i < rows.length; i++) {
    const at = rows[i];
    if (at >= total || kept.has(at)) return undefined;
    for (let k = 0; k < 3; k++) {
      if (base.positions[3 * at + k] !== cloud.positions[3 * i + k]) return undefined;
      if (base.colors && base.colors[3 * at + k] !== cloud.colors![3 * i + k]) return undefined;
      if (base.normals && base.normals[3 * at + k] !== cloud.normals![3 * i + k]) return undefined;
    }
    kept.add(at);
  }
  return kept;
}

/** Encodes a cut: one bit for each point of the stored cloud, and the points' own backdrop. */
export function encodeCut(cut: CutCloud, positions: Float32Array): Uint8Array {
  const { base, kept, backdrop, meta } = cut;
  const tables: TableData[] = [
    { name: 'kept', rows: kept.bytes.length, columns: [{ name: 'bits', data: kept.bytes, size: 1 }] },
  ];
  if (backdrop?.length) {
    const columns = [{ name: 'position', data: backdrop, size: 3 }];
    tables.push({ name: 'backdrop', rows: backdrop.length / 3, columns });
  }
  return encodeBundle('cut', { ...meta, base, rows: kept.size, bounds: boundsOf(positions) }, tables);
}

/** @throws GeometryError `corrupt-file` if the bits do not fit the rows they stand for */
export function decodeCut(bytes: Uint8Array): CutCloud {
  const { header, tables } = decodeBundle(bytes);
  const { base, rows, ...meta } = header.meta as unknown as CloudMeta & { base: string; rows: number };
  const bits = (tables.kept?.bits as Uint8Array | undefined) ?? new Uint8Array(0);
  if (header.kind !== 'cut' || bits.length !== (rows + 7) >> 3) {
    throw new GeometryError('corrupt-file', `A cut of ${rows} points holds ${bits.length} bytes of bits.`);
  }
  return { base, kept: new BitSet(rows, bits), backdrop: tables.backdrop?.position as Float32Array | undefined, meta };
}

/** The points that a cut leaves of its stored cloud. @throws GeometryError `corrupt-file` if it is another cloud's cut */
export function applyCut(base: PointCloud, { kept }: CutCloud): PointCloud {
  if (kept.size !== pointCount(base)) {
    throw new GeometryError('corrupt-file', `A cut of ${kept.size} points met a cloud of ${pointCount(base)}.`);
  }
  return selectPoints(base, kept.toArray());
}

import { decodeBundle, encodeBundle } from '../bundle/index.js';
import type { Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** How far each vertex of a surface lies off a reference. */
export interface DeviationMap {
  /** Signed, mm; NaN where nothing of the reference was near. */
  values: Float32Array;
  tolerance: number;
  /** What it was compared with. */
  reference: string;
  /** Column by column. */
  referenceFromPiece: number[];
  /** Furthest off first. */
  worst: { place: Vec3; deviation: number }[];
}

export function encodeDeviation({ values, ...meta }: DeviationMap): Uint8Array {
  return encodeBundle('deviation', meta, [
    { name: 'vertices', rows: values.length, columns: [{ name: 'deviation', data: values, size: 1 }] },
  ]);
}

/** @throws GeometryError `corrupt-file` */
export function decodeDeviation(bytes: Uint8Array): DeviationMap {
  const { header, tables } = decodeBundle(bytes);
  const values = tables.vertices?.deviation;
  if (header.kind !== 'deviation' || !(values instanceof Float32Array))
    throw new GeometryError('corrupt-file', 'This file holds no deviations.');
  return { values, ...(header.meta as Omit<DeviationMap, 'values'>) };
}

import type { ShapeKind } from '../fitting/shape.js';
import type { RegionKind } from '../fitting/grow-region.js';
import type { Vec3 } from '../math/mat4.js';

/**
 * What a dimension measures: straight from place to place · the shortest way along the surface · the angle at the second of
 * three places · a shape fitted around a place · one fitted shape against another, the datum · the wall at a place · a
 * section through a place · what the piece holds up to a level · how far a place lies off the reference it was compared with · a note pinned to a place, with its coordinates.
 */
export const DIMENSION_KINDS = [
  'distance',
  'along',
  'angle',
  'shape',
  'relation',
  'wall',
  'section',
  'holds',
  'off',
  'note',
] as const;
export type DimensionKind = (typeof DIMENSION_KINDS)[number];

/** Places that each kind takes. */
export const PLACES_OF: Record<DimensionKind, number> = {
  distance: 2,
  along: 2,
  angle: 3,
  shape: 1,
  relation: 2,
  wall: 1,
  section: 1,
  holds: 0,
  off: 1,
  note: 1,
};

/** What is to be measured, as a person asked for it. Millimetres, in the piece's frame. */
export interface Dimension {
  name: string;
  note: string;
  kind: DimensionKind;
  places: Vec3[];
  /** Of `shape` and `relation`: which shape is sought around each place. */
  shapes?: (RegionKind | 'any')[];
  /** Of a section: the direction across it. */
  direction?: Vec3;
  /** What its first value should be, in the unit of that value: a length from the plan, or one that is known for sure. */
  nominal?: number;
  /** Of `holds`: height of the liquid; as much as there is room for if it is left away. */
  level?: number;
}

export interface MeasuredValue {
  /** What it is, in a word or two. */
  label: string;
  kind: 'length' | 'area' | 'volume' | 'angle';
  /** mm, mm², mm³ or radians. */
  value: number;
  /** One standard deviation, where something tells it. */
  uncertainty?: number;
}

/** What was found. A dimension that can't be measured any more has a fault in words and no values. */
export interface MeasuredDimension {
  /** What the dimension is of: the kinds of the fitted shapes. */
  shapes?: ShapeKind[];
  /** Directions of the fitted shapes: axes, and normals of planes. */
  axes?: Vec3[];
  /** What one wants to know comes first. */
  values: MeasuredValue[];
  /** Where its places lie on the surface as it is now, and how far the one that moved most lies off where it was asked. */
  places: Vec3[];
  moved: number;
  /** Share of what it was measured on that no scan saw. */
  inventedRatio: number;
  /** Lines to draw, each 3k. */
  lines: number[][];
  /** Where its label hangs. */
  label: Vec3;
  fault?: string;
}

/** A dimension against what it should be. */
export interface AgainstNominal {
  /** Measured less nominal. */
  difference: number;
  /** By what all lengths would have to be multiplied for the difference to vanish; of lengths alone. */
  scale?: number;
  /** One standard deviation of the scale. */
  scaleUncertainty?: number;
}

/** How a dimension lies to its nominal value; undefined without one, or without a value. */
export function againstNominal(
  { nominal }: Dimension,
  { values: [first] }: MeasuredDimension,
): AgainstNominal | undefined {
  if (nominal === undefined || !first) return undefined;
  const difference = first.value - nominal;
  if (first.kind !== 'length' || !(nominal > 0) || !(first.value > 0)) return { difference };
  const scale = nominal / first.value;
  return {
    difference,
    scale,
    ...(first.uncertainty ? { scaleUncertainty: (scale * first.uncertainty) / first.value } : {}),
  };
}

/** All dimensions of a piece, and what was found of each. */
export interface DimensionSheet {
  asked: Dimension[];
  found: MeasuredDimension[];
}

/** A sheet as it is kept and given away (docs/formats.md). */
export const plainSheet = (sheet: DimensionSheet): object => ({ version: 1, units: 'mm, radians', ...sheet });

import type { BitSet } from '../geometry/bit-set.js';
import type { Mat4 } from '../math/mat4.js';

/** A scan as the selecting tools see it. All sets and results count its stored points, also those cut away before. */
export interface SelectableCloud {
  /** 3 for each point, mm, in the scan's frame. */
  positions: Float32Array;
  /** sRGB, 3 for each point. */
  colors?: Uint8Array;
  /** Unit, 3 for each point. */
  normals?: Float32Array;
  /** Points that can be selected: not cut away. */
  present: BitSet;
  /** Rigid: where the scan is shown. */
  viewFromScan: Mat4;
  /** Typical distance between neighbouring points, mm. */
  spacing: number;
}

/** How a new selection joins the one that stands. */
export type SelectionJoin = 'replace' | 'add' | 'subtract' | 'intersect';

/** The selection after a new one was made over it. */
export function joinSelections(standing: BitSet, made: BitSet, join: SelectionJoin): BitSet {
  if (join === 'add') return standing.union(made);
  if (join === 'subtract') return standing.difference(made);
  return join === 'intersect' ? standing.intersection(made) : made;
}

import { cross3, normalize3, type Vec3 } from '../math/mat4.js';
import type { Dimension, MeasuredDimension } from './dimension.js';

/** A direction that something measured has. */
export interface DimensionDirection {
  /** Of length 1. */
  direction: Vec3;
  /** From the first place to the second; else either of its two senses may be meant. */
  fromTo: boolean;
}

/**
 * The direction of what was measured: from place to place · across the plane of three places · along the axis of a fitted shape,
 * or across a fitted plane · across a section. Nothing for what has none, or can't be measured any more.
 */
export function directionOfDimension(asked: Dimension, found: MeasuredDimension): DimensionDirection | undefined {
  if (found.fault) return undefined;
  const [a, b, c] = found.places;
  switch (asked.kind) {
    case 'distance':
    case 'along':
      return unit(from(a, b), true);
    case 'angle':
      return unit(cross3(from(b, a), from(b, c)), false);
    case 'shape':
    case 'relation':
      return found.axes?.[0] && unit(found.axes[0], false);
    case 'section':
      return asked.direction && unit(asked.direction, false);
    default:
      return undefined;
  }
}

const from = (a: Vec3, b: Vec3): Vec3 => [b[0] - a[0], b[1] - a[1], b[2] - a[2]];

/** Places that fall together, or lie in a line, have none. */
function unit(v: Vec3, fromTo: boolean): DimensionDirection | undefined {
  return Math.hypot(...v) > 1e-9 ? { direction: normalize3(v), fromTo } : undefined;
}
